"""What a page asks for and does not wait for: made by threads of the web process, so that no request computes
for long and no queue of long jobs stands before it.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from contextvars import copy_context

from django.conf import settings
from django.db import connections

from server.moves.store import store
from trasloco.errors import Cancelled
from trasloco.progress import Progress, silent
from trasloco.results.records import keeping

Work = Callable[[Progress], object]
PATIENCE_S = 0.1
"""A request waits so long for what may be done in a moment."""
_POOL = ThreadPoolExecutor(2, thread_name_prefix="soon")
_GUARD = threading.Lock()
_WANTED: dict[str, tuple[str, Future[bool]]] = {}
"""By what it is of: the key of what was asked for last, and its making."""


def soon(about: str, key: str, work: Work) -> bool:
    """Whether something is there: it is begun where nobody has begun it, and waited for a moment.

    What is asked for under another key takes the place of what was ``about`` the same before, which then
    stops at its next report of progress.

    Raises:
        Refused: it was tried and cannot be.
    """
    if not settings.SOON:
        work(silent)
        return True
    with _GUARD:
        wanted, making = _WANTED.get(about, ("", None))
        if making is None or wanted != key:
            making = _POOL.submit(copy_context().run, _made, about, key, work)
            _WANTED[about] = key, making
    try:
        return making.result(timeout=PATIENCE_S)
    except TimeoutError:
        return False
    finally:
        with _GUARD:
            if making.done() and _WANTED.get(about, ("", None))[1] is making:
                del _WANTED[about]


def being_made(about: str) -> bool:
    """Whether something about it is on its way, or ended and nobody has asked since."""
    with _GUARD:
        return about in _WANTED


def _made(about: str, key: str, work: Work) -> bool:
    """Whether it was made to the end: nothing else was asked for meanwhile."""

    def report(fraction: float, message: str) -> None:
        with _GUARD:
            wanted = _WANTED.get(about, ("", None))[0]
        if wanted != key:
            raise Cancelled

    try:
        with keeping(store):
            work(report)
        return True
    except Cancelled:
        return False
    finally:
        connections.close_all()
