"""One lane: takes the next job, does it, takes the next."""

from __future__ import annotations

import logging
import os
import time

from django.db import DatabaseError, close_old_connections

from server.lanes.ahead import work_ahead
from server.lanes.queue import claim
from server.moves.jobs import carry_out
from trasloco.results.at_hand import have_at_hand

POLL_S, LONGEST_PAUSE_S = 0.15, 10.0
log = logging.getLogger(__name__)


def work(lane: str, quick: bool) -> None:
    """Do jobs for ever. A database that cannot be reached is waited for, with pauses that grow."""
    os.nice(3 if quick else 8)  # pages are answered first
    pause, parent = POLL_S, os.getppid()
    have_at_hand()
    worked_on: int | None = None
    unseen: set[int] = set()
    while os.getppid() == parent:
        try:
            job = claim(lane, quick)
            pause = POLL_S
        except DatabaseError as error:
            log.warning("lane %s waits for the database: %s", lane, error)
            close_old_connections()
            job, pause = None, min(pause * 2, LONGEST_PAUSE_S)
        if job is not None:
            carry_out(job)
            worked_on = None if quick else job.move_id
            unseen |= set() if quick else {job.move_id}
        elif worked_on is not None:
            began = time.monotonic()
            if work_ahead(worked_on, sorted(unseen - {worked_on})):
                worked_on = None
                unseen.clear()
            elif time.monotonic() - began < pause:  # another lane does it
                time.sleep(pause)
            # Otherwise a job waits, and is taken at once.
        else:
            time.sleep(pause)
