"""Processes of this machine: copies of one that has loaded what they need. One that the system ends (out of
memory or time, a fault in a decoder) takes with it only what it was at.
"""

from __future__ import annotations

import itertools
import multiprocessing
import os
import pickle
import signal
import tempfile
from collections import OrderedDict
from collections.abc import Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from multiprocessing import forkserver
from pathlib import Path
from typing import Any, Self

from trasloco.hands.model import AHEAD, SETTING, Ended, P, R, S, Shared, Work
from trasloco.processors import processors, share_by

_KEPT = 2
"""What is shared that a worker keeps at once, the two sides of a proof."""
_HELD: OrderedDict[str, Any] = OrderedDict()


def _done(work: Work[Any, Any, Any], place: str, piece: Any) -> Any:
    """A piece of work on what lies in a file, which is read once."""
    os.environ.pop(SETTING, None)
    if place and place not in _HELD:
        _HELD[place] = pickle.loads(Path(place).read_bytes())
        while len(_HELD) > _KEPT:
            _HELD.popitem(last=False)
    return work(_HELD[place] if place else None, piece)


def begin(loaded: tuple[str, ...] = (__name__,)) -> None:
    """Let what processes are copied from load its modules while this one goes on with something else."""
    multiprocessing.get_context("forkserver").set_forkserver_preload(list(loaded))
    forkserver.ensure_running()


def _begun(count: int) -> None:
    """One of so many processes begins. A key that stops the work ends it without a word: who asked tells."""
    share_by(count)
    signal.signal(signal.SIGINT, signal.SIG_DFL)


class Processes:
    """So many processes, 0 for one a processor, until they are closed. ``loaded``: modules that they have
    loaded when they begin.
    """

    def __init__(self, processes: int = 0, loaded: tuple[str, ...] = (__name__,)) -> None:
        self._processes, self._loaded = processes, loaded
        self._pool: ProcessPoolExecutor | None = None
        self._folder = tempfile.TemporaryDirectory(prefix="trasloco-shared-")

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *error: object) -> None:
        self._ended()
        self._folder.cleanup()

    @property
    def count(self) -> int:
        return self._processes or processors()

    def each(
        self, work: Work[S, P, R], shared: Shared[S], pieces: Sequence[P]
    ) -> Iterator[tuple[int, R | Ended]]:
        """What was not done when a process ended is tried again, each piece by itself: only what ends its
        process alone is told as :class:`Ended`.
        """
        place = ""
        if shared.value is not None:
            place = str(Path(self._folder.name) / shared.key)
            if not Path(place).exists():
                Path(place).write_bytes(pickle.dumps(shared.value, protocol=5))
        left = set(range(len(pieces)))
        for number, found in self._tried(work, place, pieces, sorted(left)):
            left.discard(number)
            yield number, found
        for number in sorted(left):
            tried = list(self._tried(work, place, pieces, [number]))
            yield tried[0] if tried else (number, Ended("Its process was ended by the system."))

    def _tried(
        self, work: Work[S, P, R], place: str, pieces: Sequence[P], numbers: Sequence[int]
    ) -> Iterator[tuple[int, R]]:
        """What was done until all was, or a process ended."""
        waiting: dict[Future[R], int] = {}
        try:
            pool, left = self._running(), iter(numbers)
            while True:
                for number in itertools.islice(left, AHEAD * self.count - len(waiting)):
                    waiting[pool.submit(_done, work, place, pieces[number])] = number
                if not waiting:
                    return
                for future in wait(waiting, return_when=FIRST_COMPLETED).done:
                    found = future.result()
                    yield waiting.pop(future), found
        except BrokenProcessPool:
            self._ended()
        finally:
            for future in waiting:
                future.cancel()

    def _running(self) -> ProcessPoolExecutor:
        if self._pool is None:
            begin(self._loaded)
            context = multiprocessing.get_context("forkserver")
            self._pool = ProcessPoolExecutor(
                self.count, mp_context=context, initializer=_begun, initargs=(self.count,)
            )
        return self._pool

    def _ended(self) -> None:
        if self._pool is not None:
            self._pool.shutdown(cancel_futures=True)
            self._pool = None
