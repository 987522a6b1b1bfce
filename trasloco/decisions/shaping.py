"""How fine meshes are when they are delivered."""

from __future__ import annotations

from typing import Annotated, Literal

from trasloco.decisions.kind import Kind
from trasloco.decisions.values import within


class Triangles(Kind, of=("part", "scene"), read_by=("plan",)):
    """At most so many triangles."""

    field: Literal["triangles"]
    value: Annotated[int, within(1, 100_000_000, "a number of triangles")] | None

    def words(self) -> str:
        return f"at most {self.value} triangles" if self.value else "all its triangles"


class Subdivide(Kind, of=("part",), read_by=("plan",)):
    """Each face in four, so many times."""

    field: Literal["subdivide"]
    value: Annotated[int, within(0, 3, "a level")] | None

    def words(self) -> str:
        return (
            f"subdivided {self.value} time{'s' if self.value > 1 else ''}" if self.value else "not subdivided"
        )
