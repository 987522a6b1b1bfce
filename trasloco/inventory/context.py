"""What every check gets to look at."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

from trasloco.inventory.world import WorldTriangles, world_triangles
from trasloco.scene.findings import Finding
from trasloco.scene.model import Decision, Scene
from trasloco.sheets.model import Sheet


@dataclass(frozen=True)
class Context:
    """The received scene, the same scene settled into neutral terms, both sheets, and what was decided about unit and axis."""

    received: Scene
    scene: Scene
    source: Sheet
    destination: Sheet
    decisions: Sequence[Decision] = ()

    @cached_property
    def world(self) -> WorldTriangles:
        return world_triangles(self.scene)


class Check(Protocol):
    def __call__(self, context: Context) -> Iterator[Finding]: ...
