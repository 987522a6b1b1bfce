"""Where a lamp has to stand so that it reaches a place from a side."""

from __future__ import annotations

import math
from typing import Literal, get_args

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from trasloco.rays.embree import RayScene
from trasloco.rays.nearest import nearest
from trasloco.scene.harmonics import spread_normals
from trasloco.scene.model import Doubles

Side = Literal["left", "right", "front", "behind", "above"]
SIDES: tuple[Side, ...] = get_args(Side)
"""As whoever looks sees them."""
_TRIED, _GRAZING = 2000, 0.1
"""Directions that are tried, and how little (as a cosine) a surface may look towards a lamp and still be lit.
"""


def wished(side: Side, eye: Doubles) -> Doubles:
    """A unit direction (3,) towards the lamp: 45 degrees aside, and 35 up, as a camera (4, 4, camera to
    world) sees it.
    """
    right, back = eye[:3, 0] * (1, 0, 1), eye[:3, 2] * (1, 0, 1)
    if np.linalg.norm(back) < 1e-6:
        # It looks straight down or up: what is above in its picture is behind.
        back = -eye[:3, 1] * (1, 0, 1) * np.sign(eye[1, 2])
    right, back = (
        right / max(float(np.linalg.norm(right)), 1e-9),
        back / max(float(np.linalg.norm(back)), 1e-9),
    )
    up = np.array([0.0, math.tan(math.radians(35)), 0.0])
    way = {
        "left": (back - right) / math.sqrt(2) + up,
        "right": (back + right) / math.sqrt(2) + up,
        "front": back + up,
        "behind": -back + up,
        "above": np.array([0.0, 1.0, 0.0]),
    }[side]
    return np.asarray(way / np.linalg.norm(way))


def reaching(
    rays: RayScene, point: Doubles, normal: Doubles, wish: Doubles, distance_m: float
) -> Doubles | None:
    """The unit direction (3,) nearest to a wished one from which a lamp, ``distance_m`` away (infinite for a
    sun), reaches a place: the surface looks towards it and nothing stands between. None where there is no
    such.

    Directions are spread evenly over the sphere, so the answer is within about 3 degrees of the nearest.
    """
    tried = spread_normals(_TRIED)
    tried = np.concatenate([wish[None], tried[np.argsort(-(tried @ wish), kind="stable")]])
    tried = tried[tried @ normal > _GRAZING]
    if not len(tried):
        return None
    extent = float(np.ptp(rays.positions, axis=0).max()) if len(rays.positions) else 1.0
    start = (point + normal * 1e-4 * max(extent, 1e-6)).astype(np.float32)
    hit, far = nearest(rays, np.broadcast_to(start, tried.shape), tried.astype(np.float32))
    free = (hit < 0) | (far >= distance_m * (1 - 1e-4))
    return np.asarray(tried[np.argmax(free)]) if free.any() else None


def rectangle_of(points: Doubles) -> tuple[Doubles, float, float] | None:
    """The smallest rectangle in the plane of some points (N, 3): its place (4, 4) with X along its width and
    -Z out of it, its width and its height in metres. None where the points span no plane.

    Of all rectangles around points, the smallest has a side along one of the hull's (Freeman and Shapira
    1975).
    """
    if len(points) < 3:
        return None
    middle = points.mean(axis=0)
    _, size, axes = np.linalg.svd(points - middle, full_matrices=False)
    if size[1] < 1e-9 * max(float(size[0]), 1e-12):
        return None
    flat = (points - middle) @ axes[:2].T
    try:
        hull = flat[ConvexHull(flat).vertices]
    except QhullError:
        return None
    best: tuple[float, Doubles, Doubles] | None = None
    for edge in np.roll(hull, -1, axis=0) - hull:
        along = edge / np.linalg.norm(edge)
        turned = hull @ np.array([[along[0], -along[1]], [along[1], along[0]]])
        low, high = turned.min(axis=0), turned.max(axis=0)
        area = float(np.prod(high - low))
        if best is None or area < best[0] - 1e-12:
            best = area, along, np.array([low, high])
    assert best is not None
    _, along, box = best
    across = np.array([-along[1], along[0]])
    center = middle + ((box.mean(axis=0) @ np.array([along, across])) @ axes[:2])
    sides = [along @ axes[:2], across @ axes[:2]]
    sizes = box[1] - box[0]
    if abs(sides[0][1]) > abs(sides[1][1]):
        # What runs upwards is the height.
        sides, sizes = [sides[1], sides[0]], sizes[::-1]
    high = sides[1] * (1.0 if sides[1][1] >= 0 else -1.0)
    matrix = np.eye(4)
    matrix[:3, 0], matrix[:3, 1], matrix[:3, 2] = sides[0], high, np.cross(sides[0], high)
    matrix[:3, 3] = center
    return matrix, float(sizes[0]), float(sizes[1])
