"""One lane of work; kept by ``manage.py work``, which tells it its name when it is needed."""

from __future__ import annotations

import sys
from typing import Any

from django.core.management.base import BaseCommand

from server.holding import end_with_parent
from server.lanes.lane import work


class Command(BaseCommand):
    help = "Do jobs one after the other, until ended."

    def handle(self, *args: Any, **options: Any) -> None:
        end_with_parent()
        told = sys.stdin.readline().rstrip("\n").split("\t")
        if len(told) == 2:
            work(told[0], bool(told[1]))
