"""The books: what was sent, what arrived, and what explains the difference."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from typing import Literal

from trasloco.fit.model import Passage

Booking = Literal["exact", "close", "lost", "blocked", "unaccounted"]
KINDS: dict[str, str] = {
    "input": "Material inputs",
    "material": "Materials",
    "part": "Parts, groups, pivots",
    "mesh": "Slots and faces",
    "color": "Vertex colours",
    "cloud": "Points and lines",
    "light": "Lights, surroundings",
    "motion": "Cameras, motion, skins",
}
"""Kinds of things that travel, in the order of the ledger."""
BOOKINGS: tuple[Booking, ...] = ("exact", "close", "lost", "blocked", "unaccounted")


@dataclass(frozen=True)
class Fact:
    """One aspect of one thing on both sides, as found.

    Attributes:
        kind, item, aspect: as in a :class:`~trasloco.fit.model.Passage`; ``item`` is an id of the arrival
            where it came from nowhere.
        name: of the thing, on screen. sent, arrived: what it is there, in words.
        same: whether both say the same. gone: whether nothing arrived that says anything. kept: whether what
            a promise said arrived in its place did.
    """

    kind: str
    item: str
    aspect: str
    name: str
    sent: str
    arrived: str
    same: bool
    gone: bool = False
    kept: bool = False


@dataclass(frozen=True)
class Entry:
    """A fact, booked. ``reason`` is the promise that explains it, or why nothing does."""

    kind: str
    item: str
    aspect: str
    name: str
    sent: str
    arrived: str
    mark: Booking
    reason: str

    @property
    def title(self) -> str:
        """The thing and what of it is told; names of inputs say both."""
        return self.name if self.kind == "input" else f"{self.name}, {self.aspect}"

    @property
    def key(self) -> str:
        """Names the entry in decisions."""
        return f"{self.kind}/{self.item}/{self.aspect}"


@dataclass(frozen=True)
class Accounts:
    """Everything that was sent, and how it arrived."""

    entries: tuple[Entry, ...]

    @property
    def unaccounted(self) -> list[Entry]:
        """What nothing explains."""
        return [entry for entry in self.entries if entry.mark == "unaccounted"]

    def counted(self) -> dict[Booking, int]:
        """How many entries carry each mark."""
        found = Counter(entry.mark for entry in self.entries)
        return {mark: found.get(mark, 0) for mark in BOOKINGS}

    def of(self, kind: str) -> list[Entry]:
        return [entry for entry in self.entries if entry.kind == kind]


def booked(fact: Fact, promise: Passage | None) -> Entry:
    """A fact as an entry: equal, or explained by its promise, or unaccounted.

    What was promised exact must be equal; what was promised close must be what was promised in its place;
    what was promised lost must be gone,
    not bent.
    """
    mark: Booking = "unaccounted"
    reason = promise.text if promise is not None else ""
    if fact.same:
        mark = "exact"
    elif promise is None:
        reason = "Nothing speaks of it."
    elif promise.mark == "exact":
        reason = "It was promised to arrive as it is."
    elif promise.mark == "close":
        mark, reason = (
            ("close", reason) if fact.kept else (mark, f"Promised: {reason}. Something else arrived.")
        )
    elif fact.gone or fact.kept:
        mark = promise.mark
    else:
        reason = f"It was told to stay behind ({reason}), and something arrived in its place."
    return Entry(fact.kind, fact.item, fact.aspect, fact.name, fact.sent, fact.arrived, mark, reason)
