"""The worker: takes up what a dead worker left behind, then keeps the lanes."""

from __future__ import annotations

import signal
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from server.holding import HeldElsewhere, hold
from server.lanes.keeping_lanes import Lanes


class Command(BaseCommand):
    help = "Run jobs until stopped."

    def handle(self, *args: Any, **options: Any) -> None:
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
