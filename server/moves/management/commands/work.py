"""The worker: marks what a dead worker left behind, then takes jobs."""

from __future__ import annotations

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand

from server.moves.jobs import mark_orphans


class Command(BaseCommand):
    help = "Run jobs until stopped."

    def handle(self, *args: Any, **options: Any) -> None:
        mark_orphans()
        call_command("db_worker", interval=0.3, startup_delay=False)
