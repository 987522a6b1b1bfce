"""Pieces of work, what they share, and whoever does them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Generic, Protocol, TypeVar

from trasloco.errors import Refused
from trasloco.keeping import recalled, remembered
from trasloco.scene.digest import digest

S = TypeVar("S")
P = TypeVar("P")
R = TypeVar("R")
Work = Callable[[S, P], R]
"""A function of a module, so that it can be named to another process: what is shared, and a piece."""


@dataclass(frozen=True, eq=False)
class Shared(Generic[S]):
    """What all pieces read, such as a scene. Workers with memory of their own are sent it once and keep it by
    its key.

    Attributes:
        parts: what tells it from others, as :func:`trasloco.scene.digest.digest` takes it; the value itself
            where that can be told by its content.
    """

    value: S
    parts: tuple[Any, ...] = ()

    @cached_property
    def key(self) -> str:
        """Equal for equal content, in any process."""
        return digest(*(self.parts or (self.value,)))


NOTHING: Shared[None] = Shared(None)
"""For pieces that carry all that they need."""


@dataclass(frozen=True)
class Ended:
    """In place of what a piece would have given: its worker was ended whenever it was tried."""

    words: str


SETTING = "TRASLOCO_CLUSTER"
"""Address of a Dask scheduler, ``tcp://…`` or ``tls://…``; empty for this machine alone. No worker has it:
what it does it does itself.
"""


class Hands(Protocol):
    """Workers behind one interface."""

    @property
    def count(self) -> int:
        """Pieces that are done side by side."""

    def each(
        self, work: Work[S, P, R], shared: Shared[S], pieces: Sequence[P]
    ) -> Iterator[tuple[int, R | Ended]]:
        """Number of each piece and what it gave, as they end. What a piece raises is raised here. Whoever
        stops listening stops what has not begun. Pieces are taken a few ahead only, so that a sequence may
        make each when it is asked for.
        """


AHEAD = 3
"""Pieces that are given out for every one that is done at a time, so that no worker waits."""


def in_order(hands: Hands, work: Work[S, P, R], shared: Shared[S], pieces: Iterable[P]) -> Iterator[R]:
    """What every piece gave, in the order of the pieces, so that sums over them are the same to the last bit
    whoever did the work.

    Raises:
        Refused: a piece ends whoever tries it.
    """
    given = pieces if isinstance(pieces, Sequence) else list(pieces)
    early: dict[int, R] = {}
    turn = 0
    for number, found in hands.each(work, shared, given):
        if isinstance(found, Ended):
            raise Refused(
                "A piece of this work ended every worker that tried it.",
                found.words,
                "Ask for smaller pictures or images, or give the workers more memory.",
            )
        early[number] = found
        while turn in early:
            yield early.pop(turn)
            turn += 1


def kept_in_order(
    kind: str, keys: Sequence[str], hands: Hands, work: Work[S, P, R], shared: Shared[S], pieces: Sequence[P]
) -> Iterator[R]:
    """As :func:`in_order`; what is kept under a piece's key is not done again, and what is done is kept
    (:mod:`trasloco.keeping`). An empty key keeps nothing.
    """
    held = [recalled(kind, key) if key else None for key in keys]
    made = in_order(hands, work, shared, [p for p, it in zip(pieces, held, strict=True) if it is None])
    for key, it in zip(keys, held, strict=True):
        if it is None:
            it = next(made)
            if key:
                remembered(kind, key, it)
        yield it
