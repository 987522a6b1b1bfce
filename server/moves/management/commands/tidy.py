"""Removes what nothing needs any more; run by the worker once an hour."""

from __future__ import annotations

import os
from typing import Any

from django.core.management.base import BaseCommand

from server.moves.room import keep_house


class Command(BaseCommand):
    help = "Remove moves taken off the desk long ago, old jobs, and files that nothing refers to."

    def handle(self, *args: Any, **options: Any) -> None:
        os.nice(10)
        keep_house()
