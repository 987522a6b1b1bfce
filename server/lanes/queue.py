"""Which job is next: moves take turns, what is quick never waits behind what is long, and jobs of a lane that
died are taken up again.
"""

from __future__ import annotations

import signal
from typing import Any

from django.db import transaction
from django.db.models import Exists, F, Max, OuterRef, QuerySet
from django.utils import timezone

from server.moves.models import Job, Move
from server.moves.store import blob_bytes

QUICK_S = 2.0
"""What is expected to take less goes through the quick lane."""
MOST_TRIES = 3
"""A job whose lane dies is taken up again, but not for ever: it may be what the lane dies of."""
_READING_S_PER_MB, _READING_S = 0.4, 0.5
_LONG_S = 60.0


def expected_s(move: Move, kind: str, settings: dict[str, Any]) -> float:
    """Seconds that a job is expected to take: as long as the last of its kind and settings, or by the size of
    what is read; long where nothing is known.
    """
    if kind == "receive":
        last = move.revisions.order_by("-number").first()
        return (
            _READING_S + _READING_S_PER_MB * sum(map(blob_bytes, (last.files if last else {}).values())) / 1e6
        )
    before = move.jobs.filter(kind=kind, settings=settings, state=Job.State.DONE).order_by("-id").first()
    if before is None or before.started is None or before.finished is None:
        return _LONG_S
    return (before.finished - before.started).total_seconds()


def claim(lane: str, quick: bool = False) -> Job | None:
    """The next job, now running in a lane, or None.

    The move whose last job began longest ago comes first. Nothing of a move begins before its delivery is
    read, and of one kind one job a move at a time. ``quick``: only what is expected to be.
    """
    with transaction.atomic():
        beside = Job.objects.filter(move=OuterRef("move"))
        reading = beside.filter(
            kind="receive", state__in=(Job.State.WAITING, Job.State.RUNNING), id__lt=OuterRef("id")
        )
        same = beside.filter(kind=OuterRef("kind"), state=Job.State.RUNNING)
        waiting: QuerySet[Job] = Job.objects.filter(~Exists(reading), ~Exists(same), state=Job.State.WAITING)
        if quick:
            waiting = waiting.filter(expected_s__lt=QUICK_S)
        job = (
            waiting.annotate(turn=Max("move__jobs__started"))
            .order_by(F("turn").asc(nulls_first=True), "id")
            .first()
        )
        return None if job is None else begin(job.id, lane)


def begin(job_id: int, lane: str = "") -> Job | None:
    """A waiting job, now running in a lane; None where it does not wait any more."""
    now = timezone.now()
    begun = Job.objects.filter(id=job_id, state=Job.State.WAITING).update(
        state=Job.State.RUNNING, lane=lane, started=now, beat=now, tries=F("tries") + 1
    )
    return Job.objects.select_related("move").get(id=job_id) if begun else None


def give_back(lane: str | None = None, ended_by: int = 0) -> int:
    """What a lane that ended leaves running waits again, or is told: what was cancelled, what was tried too
    often, and a delivery whose reading ended the process. How many.

    ``lane=None``: of all lanes, when nobody works. ``ended_by``: the signal that ended it.
    """
    now, died = timezone.now(), Job.objects.filter(state=Job.State.RUNNING)
    if lane is not None:
        died = died.filter(lane=lane)
    cancelled = died.filter(cancel=True).update(
        state=Job.State.CANCELLED, message="Cancelled. Nothing was changed.", finished=now
    )
    fatal = 0
    if ended_by in _FATAL:
        for job in died.filter(kind="receive"):
            fatal += 1
            _refuse_reading(job, ended_by)
    given_up = died.filter(tries__gte=MOST_TRIES).update(
        state=Job.State.STOPPED,
        message=f"The worker stopped {MOST_TRIES} times before this was done. Run it again, or ask for less.",
        finished=now,
    )
    again = died.update(
        state=Job.State.WAITING, lane="", message="The worker stopped; this is taken up again."
    )
    return cancelled + fatal + given_up + again


_FATAL = {
    signal.SIGSEGV: "Reading this delivery ended the program that reads it.",
    signal.SIGBUS: "Reading this delivery ended the program that reads it.",
    signal.SIGABRT: "Reading this delivery took more memory than one may take.",
    signal.SIGXCPU: "Reading this delivery took longer than one may take.",
}


def _refuse_reading(job: Job, ended_by: int) -> None:
    """A delivery that cannot be read is told as such, on the desk too."""
    refusal = {
        "what": _FATAL[signal.Signals(ended_by)],
        "where": job.move.name,
        "remedy": "Save it anew from where it was made, in parts if it is large, and add it again.",
    }
    with transaction.atomic():
        Job.objects.filter(id=job.id).update(
            state=Job.State.REFUSED, refusal=refusal, finished=timezone.now()
        )
        revision = job.move.revisions.order_by("-number").first()
        if revision is not None:
            revision.refusal = refusal
            revision.save(update_fields=["refusal"])
        Move.objects.filter(id=job.move_id).update(told="")
