"""What comes next of the move that was worked on last, made while no job waits; then what is seen first of others
that were worked on; then its proof, better known.
"""

from __future__ import annotations

import contextlib
import logging
import time
from collections.abc import Sequence

from django.conf import settings
from django.db import DatabaseError

from server.holding import HeldElsewhere, hold
from server.moves.bench import Bench
from server.moves.models import Job, Move
from server.moves.refining import go_on
from server.moves.store import store
from trasloco.errors import Cancelled, Refused
from trasloco.progress import Progress
from trasloco.results.next_asked import make_ready
from trasloco.results.opening import expected_aspect, still
from trasloco.results.records import keeping

_ASKED_EVERY_S = 0.1
log = logging.getLogger(__name__)


def work_ahead(move_id: int, others: Sequence[int] = ()) -> bool:
    """Make what comes next of a move, and what is seen first of others; False where it was left because a job
    waits, the move was changed, or another lane works ahead.

    What cannot be made is told when it is asked for, and not here.
    """
    try:
        held = hold(settings.DATA_DIR, "ahead")  # one lane at a time: the others' processors are the artist's
    except HeldElsewhere:
        return False
    try:
        move = Move.objects.filter(id=move_id).first()
        if move is None or not move.revisions.exists():
            return True
        bench = Bench(move)
        if bench.is_read():
            with keeping(store), store.of(move_id):
                make_ready(bench, _until_asked(move))
                for other in Move.objects.filter(id__in=others):
                    _see(Bench(other), _until_asked(move))
                while go_on(bench, _until_asked(move)):
                    pass
    except (Cancelled, DatabaseError):
        return False
    except (Refused, MemoryError):
        pass
    except Exception:
        log.exception("what comes next of move %s could not be made", move_id)
    finally:
        held.let_go()
    return True


def _see(bench: Bench, report: Progress) -> None:
    """What is seen first of a move, where it can be drawn."""
    if bench.is_read():
        with store.of(bench.move.id), contextlib.suppress(Refused):
            still(bench, "mended", expected_aspect(store), report)


def _until_asked(move: Move) -> Progress:
    """Stops what reports to it as soon as a job waits, or something is decided."""
    decided, asked = _last_decision(move), [time.monotonic()]

    def report(fraction: float, message: str) -> None:
        now = time.monotonic()
        if now - asked[0] < _ASKED_EVERY_S:
            return
        asked[0] = now
        if Job.objects.filter(state=Job.State.WAITING).exists() or _last_decision(move) != decided:
            raise Cancelled

    return report


def _last_decision(move: Move) -> tuple[int, int]:
    """Changes with every decision, undo and redo."""
    standing = move.decisions.filter(undone=False)
    return standing.order_by("-id").values_list("id", flat=True).first() or 0, standing.count()
