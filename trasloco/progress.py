"""How long work tells how far it is, and how it is asked to stop."""

import time
from collections.abc import Callable, Hashable

Progress = Callable[[float, str], None]
"""Called with a fraction in [0, 1] and a short message; raises :class:`trasloco.errors.Cancelled` to stop the
work.
"""


def silent(fraction: float, message: str) -> None:
    """Progress that nobody watches."""


def part_of(progress: Progress, start: float, end: float) -> Progress:
    """A progress whose [0, 1] covers ``[start, end]`` of the given one."""

    def report(fraction: float, message: str) -> None:
        progress(start + (end - start) * fraction, message)

    return report


def saying(progress: Progress, words: str) -> Progress:
    """A progress that says the same throughout."""
    return lambda fraction, message: progress(fraction, words)


class Sparing:
    """What is only looked at, while longer work goes on, takes at most a ``share`` of the time for each name:
    what comes sooner is left out.
    """

    def __init__(self, share: float = 0.05, clock: Callable[[], float] = time.monotonic) -> None:
        self._rest, self._clock = 1 / share - 1, clock
        self._next: dict[Hashable, float] = {}

    def now_and_then(self, name: Hashable, act: Callable[[], None]) -> None:
        """Do it, unless it was done of late."""
        began = self._clock()
        if began >= self._next.get(name, began):
            act()
            ended = self._clock()
            self._next[name] = ended + self._rest * (ended - began)
