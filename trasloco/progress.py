"""How long work tells how far it is, and how it is asked to stop."""

from collections.abc import Callable

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
