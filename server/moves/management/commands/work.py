"""The worker: takes up what a dead worker left behind, then keeps the lanes."""

from __future__ import annotations

import signal
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from server.holding import HeldElsewhere, end_with_parent, hold
from server.lanes.keeping_lanes import Lanes


class Command(BaseCommand):
    help = "Run jobs until stopped."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--with-parent", action="store_true", help="end when who started it ends")

    def handle(self, *args: Any, **options: Any) -> None:
        if options["with_parent"]:
            end_with_parent()
        try:
            held = hold(settings.DATA_DIR, "work")
        except HeldElsewhere as error:
            raise CommandError(f"{error} Stop it first.") from error
        lanes = Lanes()
        signal.signal(signal.SIGTERM, signal.default_int_handler)
        try:
            lanes.run()
        except KeyboardInterrupt:
            pass
        finally:
            lanes.stop()
            held.let_go()
