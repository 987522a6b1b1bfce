"""Threads of this process: what is shared is there already, and the kernels let the interpreter go."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass

from trasloco.hands.model import AHEAD, Ended, P, R, S, Shared, Work
from trasloco.keeping import with_keeper
from trasloco.processors import processors


@dataclass(frozen=True)
class Threads:
    """So many threads; 0 for one a processor."""

    threads: int = 0

    @property
    def count(self) -> int:
        return self.threads or processors()

    def each(
        self, work: Work[S, P, R], shared: Shared[S], pieces: Sequence[P]
    ) -> Iterator[tuple[int, R | Ended]]:
        done = with_keeper(work)
        waiting: dict[Future[R], int] = {}
        left = iter(range(len(pieces)))
        with ThreadPoolExecutor(min(self.count, max(len(pieces), 1))) as pool:
            try:
                while True:
                    for number in itertools.islice(left, AHEAD * self.count - len(waiting)):
                        waiting[pool.submit(done, shared.value, pieces[number])] = number
                    if not waiting:
                        return
                    for future in wait(waiting, return_when=FIRST_COMPLETED).done:
                        yield waiting.pop(future), future.result()
            finally:
                for future in waiting:
                    future.cancel()
