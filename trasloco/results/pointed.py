"""Places of a move that somebody points at in the view."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trasloco.errors import Refused
from trasloco.inventory.world import WorldTriangles, world_triangles
from trasloco.rays.nearest import nearest
from trasloco.results.name import named
from trasloco.results.route import Route
from trasloco.scene.model import Doubles

_OFF = 0.01
"""How far off what is met may be from where one pointed, as a share of the way to it."""


@dataclass(frozen=True)
class Pointed:
    """What is met where one points: the place (3,) in metres, the part and its face, numbered over its
    primitives; the face's corners (3, 3) in the world, and its unit normal (3,) on the side of whoever looks.
    """

    place: Doubles
    part: str
    face: int
    corners: Doubles
    normal: Doubles


def stand_at(matrix: Sequence[float]) -> Doubles:
    """Where one stands, (4, 4) from camera to world, out of 16 numbers row by row.

    Raises:
        Refused: they place nothing.
    """
    held = np.array(matrix, np.float64).reshape(4, 4)
    if not np.isfinite(held).all() or abs(np.linalg.det(held[:3, :3])) < 1e-12:
        raise Refused("That is no place to look from.", "the view", "Turn the view and try again.")
    return held


def world_of(route: Route, as_received: bool = False) -> WorldTriangles:
    """All triangles of the reference, or of what was received, to be looked at."""
    name = route.as_received_name if as_received else route.reference_name
    made: WorldTriangles = route.store.get_or_make(
        named("world", ("trasloco.inventory.world",), name).key,
        lambda: world_triangles(route.as_received() if as_received else route.reference()),
        keep=False,
    )
    return made


def pointed_at(world: WorldTriangles, eye: Doubles, point: Doubles) -> Pointed | None:
    """What is met first from an eye (3,) towards a point (3,); None where that is not at the point."""
    ahead = point - eye
    hit, far = nearest(world.rays, eye[None].astype(np.float32), ahead[None].astype(np.float32))
    if hit[0] < 0 or abs(float(far[0]) - 1) > _OFF:
        return None
    number = int(world.part_of(hit)[0])
    corners = world.positions[world.triangles[hit[0]]].astype(np.float64)
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    length = float(np.linalg.norm(normal))
    if length <= 0:
        normal, length = -ahead, float(np.linalg.norm(ahead))
    normal = normal / length * (1.0 if normal @ -ahead >= 0 else -1.0)
    face = int(hit[0]) - world.faces_of(number).start
    return Pointed(eye + ahead * float(far[0]), world.part_ids[number], face, corners, normal)
