"""What the inventory notices, and the shape every notice has."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from trasloco.scene.model import Decision

FindingState = Literal["open", "mended", "accepted"]


Nature = Literal["repair", "guess", "taste"]


@dataclass(frozen=True)
class Mend:
    """Pressing ``label`` makes ``decisions``.

    ``nature``: a repair cannot change what was meant, a guess confirms what the file leaves open, taste
    changes the look.
    """

    label: str
    decisions: tuple[Decision, ...]
    nature: Nature = "guess"


@dataclass(frozen=True)
class Finding:
    """Something noticed about the source.

    Attributes:
        id: kind and target, stable across revisions.
        kind: name of the check.
        title: what, in a few words. where: name of the place and measure. consequence: what it does on
            arrival.
        targets: ids of parts, materials or images it is about.
        weight: rough cost on arrival, for ranking; 0 to 100.
        evidence: plain values for the view (faces, colours, sizes, candidates).
        mends: first one is the main action.
    """

    id: str
    kind: str
    title: str
    where: str
    consequence: str
    targets: tuple[str, ...] = ()
    weight: float = 10.0
    evidence: Mapping[str, Any] = field(default_factory=dict)
    mends: tuple[Mend, ...] = ()
    state: FindingState = "open"
