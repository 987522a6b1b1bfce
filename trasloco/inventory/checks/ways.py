"""Ways that a part leaves open and its collision shape closes."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, cast

import numpy as np
import numpy.typing as npt

from trasloco.inventory.context import Context
from trasloco.meshes.hulls import Shape, shapes_of
from trasloco.rays.embree import RayScene
from trasloco.rays.nearest import nearest
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.geometry import joined_mesh, transform_points
from trasloco.scene.model import Decision, Doubles

_CELL, _MOST_CELLS, _RADIUS = 0.1, 120, 0.25
_LOW, _HIGH = 0.45, 1.65
"""Metres above where a part stands between which a person is stopped."""
_LEAST = 0.15
"""Square metres of an opening that are worth telling."""


def closed_ways(context: Context) -> Iterator[Finding]:
    """Parts that one could walk into or through, and whose box or hull does not let one: a doorway that is
    shut by what stands for its wall. Notches that are open to one side only are not told.
    """
    scene, world = context.scene, context.scene.world_matrices()
    for part in scene.parts():
        said = part.tags.collision
        if said not in ("box", "hull", "pieces"):
            continue
        points, faces = joined_mesh(scene.meshes[part.mesh or ""].primitives)
        placed = transform_points(world[part.id], points)
        if not len(faces) or np.ptp(placed[:, 1]) < _LOW:
            continue
        closed = closed_m2(placed, faces, cast(Shape, said))
        if closed < _LEAST:
            continue
        freer = "pieces" if said != "pieces" and closed_m2(placed, faces, "pieces") < _LEAST else "mesh"
        yield Finding(
            f"closed_way:{part.id}",
            "closed_way",
            "Its collision shape closes an opening",
            f"{part.name} · {said}, {closed:.1f} m² that one could stand in",
            "At the destination one is stopped in the open, where nothing is to be seen.",
            (part.id,),
            34,
            {"area_m2": closed},
            (
                Mend(
                    "A hull for each piece" if freer == "pieces" else "Collide as it is",
                    (Decision(part.id, "collision", freer),),
                ),
            ),
        )


def closed_m2(points: Doubles, faces: npt.NDArray[np.int64], shape: Shape) -> float:
    """Square metres of floor between faces of a mesh (world metres, Y up) that a person reaches from outside
    and that a shape which stands for it takes.
    """
    from scipy.ndimage import binary_dilation, label

    low, high = points.min(axis=0), points.max(axis=0)
    cell = max(_CELL, float((high - low)[[0, 2]].max()) / _MOST_CELLS)
    reach = max(_RADIUS, cell)
    edge = reach + 2 * cell
    xs, zs = (np.arange(low[k] - edge, high[k] + edge + cell, cell) for k in (0, 2))
    floor = float(low[1])
    solid = _taken(RayScene(points.astype(np.float32), faces.astype(np.uint32)), xs, zs, floor, cell)
    disc = np.hypot(*np.mgrid[-8:9, -8:9]) * cell <= reach
    free, _ = label(~binary_dilation(solid, disc))
    outside = free == free[0, 0]
    shut = np.zeros_like(solid)
    for cloud, own in shapes_of(points, faces, shape):
        rays = RayScene(cloud.astype(np.float32), own.astype(np.uint32))
        shut |= _taken(rays, xs, zs, floor, cell)
        if shape != "mesh":
            shut |= _inside(rays, xs, zs, floor + (_LOW + _HIGH) / 2)
    lost = outside & shut & ~binary_dilation(solid, disc)
    return float((lost & _between(solid)).sum()) * cell**2


def _between(solid: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """Cells with something solid on both sides along one axis."""
    found = np.zeros_like(solid)
    for axis in (0, 1):
        before = np.logical_or.accumulate(solid, axis=axis)
        after = np.flip(np.logical_or.accumulate(np.flip(solid, axis), axis=axis), axis)
        found |= before & after
    return found


def _taken(rays: RayScene, xs: Doubles, zs: Doubles, floor: float, cell: float) -> npt.NDArray[np.bool_]:
    """Cells (X, Z) in which a surface is between knee and head: met downwards, or across the cell at some
    heights.
    """
    x, z = np.meshgrid(xs, zs, indexing="ij")
    flat = np.stack([x.ravel(), np.zeros(x.size), z.ravel()], axis=1)
    met = np.zeros(x.size, bool)

    def ask(start: Any, way: tuple[float, float, float], far: float) -> None:
        origins = (flat + start).astype(np.float32)
        hit, distance = nearest(rays, origins, np.tile(np.array([way], np.float32), (len(origins), 1)))
        met[(hit >= 0) & (distance <= far)] = True

    ask((0, floor + _HIGH, 0), (0, -1, 0), _HIGH - _LOW)
    for height in np.linspace(_LOW, _HIGH, 4):
        ask((-cell / 2, floor + height, 0), (1, 0, 0), cell)
        ask((0, floor + height, -cell / 2), (0, 0, 1), cell)
    return met.reshape(x.shape)


def _inside(rays: RayScene, xs: Doubles, zs: Doubles, height: float) -> npt.NDArray[np.bool_]:
    """Cells whose middle lies in a closed convex shape: met both upwards and downwards."""
    x, z = np.meshgrid(xs, zs, indexing="ij")
    origins = np.stack([x.ravel(), np.full(x.size, height), z.ravel()], axis=1).astype(np.float32)
    met = [
        nearest(rays, origins, np.tile(np.array([[0, way, 0]], np.float32), (len(origins), 1)))[0] >= 0
        for way in (-1, 1)
    ]
    return np.asarray((met[0] & met[1]).reshape(x.shape))
