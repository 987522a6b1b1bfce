"""What one bumps into: the shapes that were chosen for parts, in the world."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.meshes.hulls import shapes_of
from trasloco.rays.embree import RayScene
from trasloco.rays.nearest import nearest
from trasloco.scene.geometry import joined_mesh, transform_points
from trasloco.scene.model import Doubles, Scene

EYE_M = 1.6
_RADIUS, _STEP, _DROP = 0.25, 0.35, 3.0
"""Metres: how wide half a person is, how high one steps up, how deep one steps down."""
_HEIGHTS = (0.45, 0.9, 1.3, 1.65)
_SLIDES = 2


@dataclass(frozen=True)
class Obstacles:
    """Triangles that block, ``owner`` (T,) the number of each one's part, and the height of the ground all
    round.
    """

    rays: RayScene
    triangles: npt.NDArray[np.uint32]
    owner: npt.NDArray[np.int64]
    parts: tuple[str, ...]
    ground_m: float
    unsaid: int = 0


def obstacles_of(scene: Scene, everything: bool = False) -> Obstacles:
    """The chosen shape of every part that has one; those that nothing is said of, or that are no obstacle,
    let through. ``everything``: every part as it is, whatever was chosen.
    """
    world = scene.world_matrices()
    clouds, faces, owner = [np.zeros((0, 3))], [np.zeros((0, 3), np.int64)], [np.zeros(0, np.int64)]
    names: list[str] = []
    start, unsaid, low = 0, 0, np.inf
    for part in scene.parts():
        said = part.tags.collision
        points, triangles = joined_mesh(scene.meshes[part.mesh or ""].primitives)
        placed = transform_points(world[part.id], points)
        if len(placed):
            low = min(low, float(placed[:, 1].min()))
        unsaid += not said
        shape = "mesh" if everything else said
        if shape not in ("box", "hull", "pieces", "mesh"):
            continue
        for cloud, own in shapes_of(placed, triangles, shape):  # type: ignore[arg-type]
            clouds.append(cloud)
            faces.append(own + start)
            owner.append(np.full(len(own), len(names)))
            start += len(cloud)
        names.append(part.id)
    tris = np.concatenate(faces).astype(np.uint32)
    rays = RayScene(np.concatenate(clouds).astype(np.float32), tris, compact=True)
    ground = low if np.isfinite(low) else 0.0
    return Obstacles(rays, tris, np.concatenate(owner), tuple(names), ground, unsaid)


def walked(held: Obstacles, eye: Doubles, heading: Doubles, far_m: float) -> tuple[Doubles, str | None]:
    """Where whoever stands with the eye (3,) at a place comes to on a way of ``far_m`` metres along a level
    heading (x, z), and the part that stopped or turned them aside.

    One is a quarter of a metre wide to each side, slides along what is met slantwise, steps up and down, and
    never below the ground.
    """
    feet = eye - (0.0, EYE_M, 0.0)
    way = np.array([heading[0], 0.0, heading[1]])
    way /= max(float(np.linalg.norm(way)), 1e-9)
    stopped: str | None = None
    left = far_m
    for _ in range(_SLIDES + 1):
        free, hit = _ahead(held, feet, way, left)
        feet = feet + way * free
        left -= free
        if hit is None or left <= 1e-6:
            break
        stopped = held.parts[int(held.owner[hit])]
        a, b, c = held.rays.positions[held.triangles[hit]].astype(np.float64)
        wall = np.cross(b - a, c - a) * (1, 0, 1)
        length = float(np.linalg.norm(wall))
        if length < 1e-12:
            break
        along = way - wall / length * float(way @ wall) / length
        share = float(np.linalg.norm(along))
        if share < 1e-3:
            break
        way, left = along / share, left * share
    feet[1] = _floor(held, feet)
    return feet + np.array([0.0, EYE_M, 0.0]), stopped


def _ahead(held: Obstacles, feet: Doubles, way: Doubles, far_m: float) -> tuple[float, int | None]:
    """How far one gets along a level unit way before somebody's width is in the way, and the triangle that
    is.
    """
    side = np.array([-way[2], 0.0, way[0]]) * _RADIUS
    starts = np.array([feet + (0, h, 0) + side * s for h in _HEIGHTS for s in (-1.0, -0.5, 0.0, 0.5, 1.0)])
    hit, distance = nearest(
        held.rays, starts.astype(np.float32), np.broadcast_to(way.astype(np.float32), starts.shape).copy()
    )
    k = int(np.argmin(np.where(hit >= 0, distance, np.inf)))
    if hit[k] < 0 or distance[k] - _RADIUS >= far_m:
        return far_m, None
    return max(float(distance[k]) - _RADIUS, 0.0), int(hit[k])


def _floor(held: Obstacles, feet: Doubles) -> float:
    """The height that one stands at: of what is under the feet within a step up and a drop, else the ground."""
    from_m = np.array([[feet[0], feet[1] + _STEP, feet[2]]], np.float32)
    hit, distance = nearest(held.rays, from_m, np.array([[0, -1, 0]], np.float32))
    if hit[0] >= 0 and distance[0] <= _STEP + _DROP:
        return max(float(feet[1] + _STEP - distance[0]), held.ground_m)
    return held.ground_m if feet[1] - held.ground_m <= _DROP else float(feet[1])
