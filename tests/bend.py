"""What was done to an arrival."""

from __future__ import annotations

from dataclasses import dataclass

from trasloco.scene.model import (
    Scene,
)


@dataclass(frozen=True)
class Bend:
    """What was done to an arrival. ``items`` are ids of the reference, any of which may be named."""

    what: str
    items: frozenset[str]
    arrival: Scene
