"""The worker: takes up what a dead worker left behind, then whatever comes."""

from __future__ import annotations

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand

from server.moves.jobs import take_up


class Command(BaseCommand):
    help = "Run jobs until stopped."

    def handle(self, *args: Any, **options: Any) -> None:
        take_up()
        call_command("db_worker", interval=0.3, startup_delay=False)
