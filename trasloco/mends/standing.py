"""Things stood on other things."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.mends.beneath import parts_beneath
from trasloco.mends.places import place
from trasloco.rays.embree import RayScene
from trasloco.rays.nearest import nearest
from trasloco.scene.geometry import joined_mesh, transform_points
from trasloco.scene.model import Doubles, Scene

_MOST = 20_000
"""Points of a side that are let down at most, the lowest and highest ones first."""


def stand_on(scene: Scene, target: str, value: Any) -> Scene:
    """A part, or a group with all that is beneath it, let straight down onto another part until they touch.
    Where it is not over that part at all, it is first brought over its middle.

    None, or a part that it holds itself, leaves it where it is.
    """
    own = _triangles(scene, _parts(scene, target))
    ground = _triangles(scene, set() if value is None else _parts(scene, str(value)) - _parts(scene, target))
    if own is None or ground is None:
        return scene
    (points, faces), (under, under_faces) = own, ground
    low, high = points.min(axis=0), points.max(axis=0)
    shift = np.zeros(3)
    if (low > under.max(axis=0))[[0, 2]].any() or (high < under.min(axis=0))[[0, 2]].any():
        shift[[0, 2]] = ((under.min(axis=0) + under.max(axis=0)) / 2 - (low + high) / 2)[[0, 2]]
    # From above everything, so that what sank in comes up again.
    shift[1] = under[:, 1].max() + 1.0 - low[1]
    gap = _drop(points + shift, faces, under, under_faces)
    if gap is None:
        # It falls through a hole: it stands as high as the part is.
        gap = float((low + shift)[1] - under[:, 1].max())
    shift[1] -= gap
    return place(scene, target, {"move_m": [float(v) for v in shift]})


def _parts(scene: Scene, target: str) -> set[str]:
    return {target, *parts_beneath(scene, target)}


def _triangles(scene: Scene, parts: set[str]) -> tuple[Doubles, npt.NDArray[np.int64]] | None:
    """World points (N, 3) and faces (M, 3) of some parts in one; None without any."""
    world = scene.world_matrices()
    clouds, faces, start = [], [], 0
    for part in scene.parts():
        if part.id not in parts:
            continue
        points, own = joined_mesh(scene.meshes[part.mesh or ""].primitives)
        clouds.append(transform_points(world[part.id], points))
        faces.append(own + start)
        start += len(points)
    if not start or not sum(map(len, faces)):
        return None
    return np.concatenate(clouds), np.concatenate(faces)


def _drop(
    points: Doubles, faces: npt.NDArray[np.int64], under: Doubles, under_faces: npt.NDArray[np.int64]
) -> float | None:
    """How far a thing falls until it touches another beneath it; None where it touches nothing.

    Points of each fall onto faces of the other: where an edge crosses an edge first, they come as near as
    their nearest points do.
    """
    found: list[float] = []
    for cloud, onto, tris, way in (
        (points, under, under_faces, -1.0),
        (under, points, faces, 1.0),
    ):
        order = np.argsort(cloud[:, 1] * -way)[:_MOST]
        origins = np.ascontiguousarray(cloud[order], np.float32)
        rays = RayScene(onto.astype(np.float32), tris.astype(np.uint32), compact=True)
        directions = np.broadcast_to(np.array([0, way, 0], np.float32), origins.shape)
        hit, distance = nearest(rays, origins, np.ascontiguousarray(directions))
        if (hit >= 0).any():
            found.append(float(distance[hit >= 0].min()))
    return min(found, default=None)
