"""What every check gets to look at."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

from trasloco.errors import Refused
from trasloco.inventory.facing import Facing, measure_facing
from trasloco.inventory.seeing import Sight, sight_of
from trasloco.inventory.world import WorldTriangles, world_triangles
from trasloco.keeping import with_keeper
from trasloco.meshes.topology import Edges
from trasloco.processors import processors
from trasloco.scene.extent import part_bounds, shells, union_box
from trasloco.scene.findings import Finding
from trasloco.scene.images import Image
from trasloco.scene.model import Decision, Doubles, Scene
from trasloco.scene.resolve import drawn_images
from trasloco.sheets.model import Sheet


@dataclass(frozen=True)
class Context:
    """The received scene, the same scene settled into neutral terms, both sheets, and what was decided about
    unit and axis.
    """

    received: Scene
    scene: Scene
    source: Sheet
    destination: Sheet
    decisions: Sequence[Decision] = ()

    @cached_property
    def boxes(self) -> dict[str, Doubles]:
        """World-space box of every part that has points."""
        return part_bounds(self.scene)

    @cached_property
    def box(self) -> Doubles | None:
        """World-space box of everything but shells of sky."""
        hidden = shells(self.scene, self.boxes)
        return union_box({id: box for id, box in self.boxes.items() if id not in hidden})

    @cached_property
    def users(self) -> dict[str, list[str]]:
        """Mesh id to the ids of the parts that show it."""
        found: dict[str, list[str]] = {}
        for part in self.scene.parts():
            found.setdefault(part.mesh or "", []).append(part.id)
        return found

    def sights(self) -> list[tuple[Image, Sight]]:
        """Every usable image that an input reads, looked at once."""
        return [(image, sight) for image, seen in self.looking if (sight := seen.result()) is not None]

    @cached_property
    def looking(self) -> list[tuple[Image, Future[Sight | None]]]:
        """The images being looked at by other threads; asking for it is what sets them off, so ask early."""
        pool, look = ThreadPoolExecutor(processors()), with_keeper(_looked_at)
        found = [(image, pool.submit(look, image)) for image in drawn_images(self.scene) if image.usable]
        pool.shutdown(wait=False)
        return found

    @cached_property
    def facing(self) -> Facing:
        """Which pieces show their backs, asked once for all checks."""
        return measure_facing(self.world)

    @cached_property
    def world(self) -> WorldTriangles:
        return world_triangles(self.scene)


def _looked_at(image: Image) -> Sight | None:
    try:
        return sight_of(image)
    except Refused:  # told by the check of unreadable images
        return None


class Check(Protocol):
    """Looks at the scene as a whole."""

    def __call__(self, context: Context) -> Iterator[Finding]: ...


class MeshCheck(Protocol):
    """Looks at one mesh that parts show, whose primitives' edges were found for all such checks and are
    forgotten after them.
    """

    def __call__(self, context: Context, mesh: str, edges: Sequence[Edges]) -> Iterator[Finding]: ...
