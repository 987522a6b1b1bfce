"""Who keeps the lanes: starts them again when they end, gives back what they left, and ends one whose job is
cancelled and does not stop by itself.
"""

from __future__ import annotations

import contextlib
import logging
import os
import subprocess
import sys
import time

from django.db import DatabaseError, close_old_connections

from server.holding import child_environment
from server.lanes.queue import give_back
from server.moves.models import Job
from server.tending import Tended

TIDY_FIRST_S, TIDY_EVERY_S = 60.0, 3600.0
GRACE_S, POLL_S = 0.6, 0.1
"""How long a cancelled job may take to stop by itself; how often lanes are looked after."""
log = logging.getLogger(__name__)


def lane_names() -> dict[str, bool]:
    """Lanes by name, and whether they are for quick jobs alone: as many as processors less one, two at least."""
    count = max((os.cpu_count() or 1) - 1, 2)
    return {"quick": True, **{f"long {n}": False for n in range(1, count)}}


class Lanes:
    """The lanes of one instance."""

    def __init__(self, names: dict[str, bool] | None = None) -> None:
        self._spare = Spare()
        self.lanes = {
            name: Tended(
                f"lane {name}",
                (),
                opened=lambda name=name, quick=quick: self._spare.become(name, quick),  # type: ignore[misc]
                on_end=lambda code, name=name: _left(name, code),  # type: ignore[misc]
            )
            for name, quick in (names or lane_names()).items()
        }
        self._asked: dict[int, float] = {}
        self._doing: dict[str, int] = {}
        self._tidying: subprocess.Popen[bytes] | None = None
        self._tidy_due = time.monotonic() + TIDY_FIRST_S

    def start(self) -> None:
        give_back()
        for lane in self.lanes.values():
            lane.start()

    def stop(self) -> None:
        for lane in self.lanes.values():
            lane.stop(1.0)
        self._spare.stop()

    def tend(self) -> None:
        """Look after everything once."""
        for lane in self.lanes.values():
            lane.tend()
        self._stop_what_is_cancelled()
        self._tidy()

    def run(self) -> None:
        """Look after the lanes for ever."""
        self.start()
        while True:
            try:
                self.tend()
            except DatabaseError as error:
                log.warning("the database cannot be asked: %s", error)
                close_old_connections()
                time.sleep(1.0)
            time.sleep(POLL_S)

    def _stop_what_is_cancelled(self) -> None:
        """End a lane whose job was cancelled a moment ago, or is gone with its move."""
        running = {job.id: job for job in Job.objects.filter(state=Job.State.RUNNING, lane__in=self.lanes)}
        gone = {
            name: id
            for name, id in self._doing.items()
            if id not in running and not Job.objects.filter(id=id).exists()
        }
        self._doing = {**{job.lane: job.id for job in running.values()}, **gone}
        cancelled = {job.lane: job.id for job in running.values() if job.cancel}
        now = time.monotonic()
        self._asked = {id: self._asked.get(id, now) for id in (*cancelled.values(), *gone.values())}
        for name, id in {**cancelled, **gone}.items():
            if now - self._asked[id] > GRACE_S:
                self.lanes[name].restart()
                give_back(name)
                self._doing.pop(name, None)

    def _tidy(self) -> None:
        """Set off what removes what nothing needs, once an hour."""
        if time.monotonic() > self._tidy_due and (self._tidying is None or self._tidying.poll() is not None):
            self._tidy_due = time.monotonic() + TIDY_EVERY_S
            self._tidying = subprocess.Popen([sys.executable, "-m", "django", "tidy"])


def _left(name: str, code: int) -> None:
    give_back(name, max(-code, 0))


class Spare:
    """A process that is ready to become a lane, so that one that was ended is replaced at once."""

    def __init__(self) -> None:
        self._ready = _opened()

    def become(self, name: str, quick: bool) -> subprocess.Popen[bytes]:
        """A lane, and another spare."""
        process, self._ready = self._ready, _opened()
        assert process.stdin is not None
        with contextlib.suppress(BrokenPipeError):  # it ended before: noticed as any lane that ends
            process.stdin.write(f"{name}\t{'quick' if quick else ''}\n".encode())
            process.stdin.flush()
        return process

    def stop(self) -> None:
        self._ready.kill()
        self._ready.wait()


def _opened() -> subprocess.Popen[bytes]:
    command = [sys.executable, "-m", "django", "lane"]
    return subprocess.Popen(command, stdin=subprocess.PIPE, env=child_environment())
