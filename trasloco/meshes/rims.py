"""Borders of openings: the closed ways along edges that have a face on one side only."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.meshes.polygon import cut_polygon
from trasloco.meshes.topology import edges_of
from trasloco.scene.geometry import joined_mesh
from trasloco.scene.model import Primitive

Integers = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Rim:
    """The border of one opening, run through the way the faces that are missing would run.

    Attributes:
        corners: (n,) vertex numbers over the primitives in order. faces: (n,) the face beside the edge that
            ends at each of them. points: (n, 3) in the mesh's own space.
    """

    corners: Integers
    faces: Integers
    points: npt.NDArray[np.float64]

    def triangles(self) -> Integers:
        """What covers it: places along the rim (m, 3), looking where the faces beside it look."""
        return np.array(cut_polygon(self.points) if len(self.points) > 3 else [(0, 1, 2)], np.int64)


def rims_of(primitives: Sequence[Primitive]) -> list[Rim]:
    """All openings of a mesh; points at equal places count as one, across its primitives too. Where borders
    touch in a point, each way round is an opening of its own.
    """
    points, triangles = joined_mesh(primitives)
    if not len(triangles):
        return []
    edges = edges_of(Primitive(points, triangles.astype(np.uint32)))
    open_edges = np.flatnonzero(edges.boundary)
    ahead: dict[int, list[tuple[int, int, int]]] = {}
    for edge in open_edges:
        face = int(edges.faces[edge, 0])
        ends = set(edges.ends[edge].tolist())
        own = edges.welded[face].tolist()
        k = next(k for k in range(3) if {own[k], own[(k + 1) % 3]} == ends)
        # The face runs from own[k] to the next; what is missing beside it runs the other way.
        start, end = own[(k + 1) % 3], own[k]
        ahead.setdefault(start, []).append((end, int(triangles[face, k]), face))
    found: list[Rim] = []
    while ahead:
        found += _ways(ahead, points)
    return found


def _ways(ahead: dict[int, list[tuple[int, int, int]]], points: npt.NDArray[np.float32]) -> list[Rim]:
    """The closed ways met from one start; what leads nowhere is passed over."""
    made: list[Rim] = []
    trail: list[tuple[int, int, int]] = []
    seen: dict[int, int] = {}
    at = next(iter(ahead))
    seen[at] = 0
    while ahead.get(at):
        step = ahead[at].pop()
        if not ahead[at]:
            del ahead[at]
        trail.append(step)
        at = step[0]
        if at in seen:
            loop = trail[seen[at] :]
            del trail[seen[at] :]
            seen = {place: k for place, k in seen.items() if k <= seen[at]}
            if len(loop) > 2:
                corners = np.array([corner for _, corner, _ in loop], np.int64)
                faces = np.array([face for *_, face in loop], np.int64)
                made.append(Rim(corners, faces, points[corners].astype(np.float64)))
        else:
            seen[at] = len(trail)
    ahead.pop(at, None)
    return made
