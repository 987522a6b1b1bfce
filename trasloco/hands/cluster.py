"""Workers of a Dask cluster (``distributed``): what is shared is sent once and kept by its key on each of
them, and what a worker that dies was at is done by another.

A worker is used where it runs the same code of Trasloco; others are passed over. Where none is left, or the
cluster goes away, what is not done yet is done here.
"""

from __future__ import annotations

import hashlib
import itertools
import logging
import os
import queue
import threading
from collections import OrderedDict
from collections.abc import Iterator, Mapping, Sequence
from functools import cache
from pathlib import Path
from typing import Any

from distributed import Client
from distributed.client import FutureCancelledError
from distributed.comm.core import CommClosedError
from distributed.scheduler import KilledWorker

from trasloco.errors import Refused
from trasloco.hands.model import AHEAD, SETTING, Ended, P, R, S, Shared, Work
from trasloco.hands.processes import Processes

_SECONDS = 5
"""In which a cluster has to answer."""
_BACK = 15
"""Seconds without any worker after which none is waited for."""
_KEPT = 4
"""What is shared that workers keep at once: both sides of a proof, of this move and of another."""
_ROUNDS = 4
"""Pieces given to each worker at least, where there are so many: fewer and larger ones are told of less often
and leave workers idle at the end.
"""
_MOST = 8
"""Pieces given at once at most: what a worker that dies costs."""
_TRIES = 3
"""Times that what was lost with its workers is given to those that are there then."""
_LOST = (FutureCancelledError, CommClosedError, OSError, TimeoutError)
_LOG = logging.getLogger(__name__)


@cache
def code() -> str:
    """The digest of Trasloco's sources, as they lie here."""
    root = Path(__file__).resolve().parents[1]
    hasher = hashlib.sha256()
    for path in sorted(root.rglob("*.py")):
        hasher.update(str(path.relative_to(root)).encode() + b"\0" + path.read_bytes())
    return hasher.hexdigest()


class _Raised(Exception):
    """What a piece raised: told, and not taken for a fault of the cluster."""

    def __init__(self, error: BaseException) -> None:
        super().__init__(str(error))
        self.error = error


def _done(work: Work[Any, Any, Any], shared: Any, pieces: Sequence[Any]) -> list[Any]:
    os.environ.pop(SETTING, None)
    return [work(shared, piece) for piece in pieces]


def _having(shared: Any) -> None:
    """Nothing but to have it there."""


class Cluster:
    """A Dask cluster by the address of its scheduler.

    Raises:
        Refused: it does not answer.
    """

    def __init__(self, address: str) -> None:
        self.address = address
        try:
            connect: Any = Client
            self._client: Any = connect(address, timeout=_SECONDS, set_as_default=False)
        except (OSError, TimeoutError, ValueError) as error:
            raise Refused(
                f"The cluster does not answer ({type(error).__name__}).",
                address,
                "Start its scheduler, or start Trasloco without TRASLOCO_CLUSTER.",
            ) from error
        self._sent: OrderedDict[str, Any] = OrderedDict()
        self._codes: dict[str, str] = {}
        self._lock = threading.Lock()

    def close(self) -> None:
        self._client.close()

    @property
    def answers(self) -> bool:
        """Whether it is still there."""
        return bool(self._client.status == "running")

    def workers(self) -> dict[str, int]:
        """Threads of each worker that runs this code, by its address."""
        told = self._there()
        with self._lock:
            unknown = [one for one in told if one not in self._codes]
            if unknown:
                found = self._client.run(code, workers=unknown, on_error="return")
                self._codes.update({one: found.get(one, "") for one in unknown})
                for one in unknown:
                    if self._codes[one] != code():
                        _LOG.warning("%s runs other code of Trasloco and is passed over", one)
        return {one: int(it["nthreads"]) for one, it in told.items() if self._codes[one] == code()}

    @property
    def count(self) -> int:
        return max(sum(self.workers().values()), 1)

    def each(
        self, work: Work[S, P, R], shared: Shared[S], pieces: Sequence[P]
    ) -> Iterator[tuple[int, R | Ended]]:
        left = set(range(len(pieces)))
        for _ in range(_TRIES):
            if not self.answers:
                break
            try:
                for number, found in self._given(work, shared, pieces, sorted(left)):
                    left.discard(number)
                    yield number, found
            except _Raised as raised:
                raise raised.error from None
            except _LOST as error:
                _LOG.warning("the cluster at %s lost work (%s)", self.address, type(error).__name__)
            if not left:
                return
            with self._lock:
                self._sent.clear()
        numbers = sorted(left)
        with Processes() as here:  # apart from us: a piece may have ended the workers that tried it
            for first in range(0, len(numbers), AHEAD * here.count):
                some = numbers[first : first + AHEAD * here.count]
                for at, found in here.each(work, shared, [pieces[number] for number in some]):
                    yield some[at], found

    def _given(
        self, work: Work[S, P, R], shared: Shared[S], pieces: Sequence[P], numbers: Sequence[int]
    ) -> Iterator[tuple[int, R | Ended]]:
        """What workers gave, until all is done or none of them is there any more."""
        workers = self.workers()
        if not workers:
            _LOG.warning("the cluster at %s has no worker that runs this code", self.address)
            return
        value = self._kept(shared, list(workers)) if shared.value is not None else None
        among = list(workers) if len(workers) < len(self._there()) else None
        waiting: dict[Any, list[int]] = {}
        over: queue.SimpleQueue[Any] = queue.SimpleQueue()

        def give(numbers: list[int]) -> None:
            future = self._client.submit(
                _done, work, value, [pieces[n] for n in numbers], pure=False, workers=among
            )
            waiting[future] = numbers
            future.add_done_callback(over.put)

        idle = 0
        suspects: list[int] = []
        alone: int | None = None
        try:
            count = sum(workers.values())
            size = min(max(len(numbers) // (_ROUNDS * count), 1), _MOST)
            left = iter([list(numbers[first : first + size]) for first in range(0, len(numbers), size)])
            while True:
                for some in itertools.islice(left, max(AHEAD * count - len(waiting), 0)):
                    give(some)
                if not waiting:  # a worker that ends takes what waits there along: each is tried by itself
                    if not suspects:
                        return
                    give([alone := suspects.pop()])
                try:
                    future = over.get(timeout=_SECONDS)
                except queue.Empty:
                    idle = idle + 1 if self._none_left(among) else 0
                    if idle * _SECONDS >= _BACK:
                        return
                    continue
                some = waiting.pop(future)
                if future.status == "finished":
                    yield from zip(some, future.result(), strict=True)
                elif future.status != "error":  # what is shared went with its last holder
                    return
                elif not isinstance(error := future.exception(), KilledWorker):
                    raise _Raised(error)
                elif some == [alone]:
                    yield some[0], Ended("It ended every worker that tried it.")
                else:
                    suspects += some
        finally:
            if waiting and self.answers:
                self._client.cancel(list(waiting), force=True)

    def _none_left(self, among: Sequence[str] | None) -> bool:
        """Whether none of these workers, or none at all, is there any more."""
        there = set(self._there()) if self.answers else set()
        return not (there if among is None else there & set(among))

    def _there(self) -> Mapping[str, Any]:
        told: Mapping[str, Any] = self._client.scheduler_info(n_workers=-1)["workers"]
        return told

    def _kept(self, shared: Shared[Any], workers: list[str]) -> Any:
        """What is shared, on one of the workers; the others have it from there, each asked for at once.

        They are asked by a piece of work for each, and nobody waits for these: a scheduler that is told to
        spread something itself asks a worker that died for ever.
        """
        with self._lock:
            if shared.key not in self._sent:
                value = self._client.scatter(shared.value, workers=workers, hash=False, direct=True)
                having = [self._client.submit(_having, value, pure=False, workers=[one]) for one in workers]
                self._sent[shared.key] = value, having
                while len(self._sent) > _KEPT:
                    self._sent.popitem(last=False)
            self._sent.move_to_end(shared.key)
            return self._sent[shared.key][0]
