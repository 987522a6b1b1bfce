"""What takes room: bytes by move, what is freed with a move, and what nobody refers to any more."""

from __future__ import annotations

import os
import time
from collections.abc import Iterable, Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.apps import apps
from django.conf import settings
from django.utils import timezone

from server.moves.models import KEPT_DAYS, Job, Kept, Move, Result
from server.moves.referring import DIGEST, REFERRING
from server.moves.store import blob_bytes, blob_path, remove_result

UNTOUCHED_S = 2 * 3600.0
"""A file that no row names is removed after so long: its row may be on its way."""
JOBS_KEPT = timedelta(days=30)


def blobs_of(moves: Iterable[Move] | None = None) -> set[str]:
    """Digests of everything that rows of some moves, or of all, refer to."""
    found: set[str] = set()
    for name, fields in REFERRING:
        table: Any = apps.get_model("moves", name)
        if moves is not None and not hasattr(table, "move"):
            continue  # a person's, not a move's
        rows = table.objects.all() if moves is None else table.objects.filter(move__in=list(moves))
        for row in rows.values_list(*fields).iterator():
            found.update(_digests(row))
    return found


def _digests(thing: Any) -> Iterator[str]:
    waiting = [thing]
    while waiting:
        one = waiting.pop()
        if isinstance(one, str):
            if DIGEST.fullmatch(one):
                yield one
        elif isinstance(one, dict):
            waiting.extend(one.values())
        elif isinstance(one, list | tuple):
            waiting.extend(one)


def bytes_of(move: Move) -> int:
    """What a move takes: its deliveries, pictures and handovers, and results that are of use to it alone."""
    results = sum(Result.objects.filter(move=move).values_list("size", flat=True))
    return results + sum(map(blob_bytes, blobs_of([move])))


def purge(move: Move) -> int:
    """Remove a move for good, with everything that only it used; the bytes freed."""
    freed = 0
    for row in Result.objects.filter(move=move):
        freed += row.size
        remove_result(row)
    own = blobs_of([move])
    move.delete()
    for digest in own - blobs_of():
        freed += blob_bytes(digest)
        blob_path(digest).unlink(missing_ok=True)
    return freed


def keep_house(now_s: float | None = None) -> int:
    """Remove what nothing needs: moves taken off the desk and materials off the shelf long ago, old jobs, and
    files that no row names. How many files and rows.
    """
    now_s = time.time() if now_s is None else now_s
    count = 0
    for move in Move.objects.filter(deleted__lt=timezone.now() - timedelta(days=KEPT_DAYS)):
        purge(move)
        count += 1
    long_gone = Kept.objects.filter(gone__lt=timezone.now() - timedelta(days=KEPT_DAYS))
    count += long_gone.delete()[0] + _old_jobs()
    folder = Path(settings.DATA_DIR)
    used = blobs_of()
    count += _sweep(folder / "blobs", used, now_s)
    count += _sweep(folder / "results", set(Result.objects.values_list("blob", flat=True)), now_s)
    return count + _sweep(folder / "incoming", set(), now_s)


def _old_jobs() -> int:
    """Ended jobs of long ago, but for the last of each kind of a move."""
    ended = Job.objects.exclude(state__in=(Job.State.WAITING, Job.State.RUNNING))
    kept: set[tuple[int, str]] = set()
    gone = []
    for id, move, kind, finished in ended.order_by("-id").values_list("id", "move_id", "kind", "finished"):
        if (move, kind) in kept and finished is not None and finished < timezone.now() - JOBS_KEPT:
            gone.append(id)
        kept.add((move, kind))
    for start in range(0, len(gone), 500):
        Job.objects.filter(id__in=gone[start : start + 500]).delete()
    return len(gone)


def _sweep(folder: Path, used: set[str], now_s: float) -> int:
    count = 0
    for here, _, names in os.walk(folder):
        for name in names:
            path = Path(here) / name
            if name in used:
                continue
            try:
                if now_s - path.stat().st_mtime > UNTOUCHED_S:
                    path.unlink()
                    count += 1
            except OSError:  # gone meanwhile
                continue
    return count
