"""What every check gets to look at."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

from trasloco.inventory.facing import Facing, measure_facing
from trasloco.inventory.topology import Edges, edges_of
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
    def edges(self) -> dict[str, list[Edges]]:
        """Edges of every mesh's primitives, found once however many parts share the mesh."""
        used = {part.mesh for part in self.scene.parts()}
        return {id: [edges_of(p) for p in mesh.primitives] for id, mesh in self.scene.meshes.items() if id in used}

    @cached_property
    def users(self) -> dict[str, list[str]]:
        """Mesh id to the ids of the parts that show it."""
        found: dict[str, list[str]] = {}
        for part in self.scene.parts():
            found.setdefault(part.mesh or "", []).append(part.id)
        return found

    @cached_property
    def facing(self) -> Facing:
        """Which pieces show their backs, asked once for all checks."""
        return measure_facing(self.world)

    @cached_property
    def world(self) -> WorldTriangles:
        return world_triangles(self.scene)


class Check(Protocol):
    def __call__(self, context: Context) -> Iterator[Finding]: ...
