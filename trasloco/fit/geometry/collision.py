"""Shapes that stand for a part where things collide, and what each costs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy.spatial import ConvexHull, QhullError

from trasloco.scene.geometry import joined_mesh, transform_points
from trasloco.scene.model import Scene
from trasloco.scene.welding import pieces_of, same_points


@dataclass(frozen=True)
class CollisionCost:
    """A shape's cost: convex pieces (1 for a mesh), triangles, vertices, and the volume it takes in cubic
    metres (None for a mesh, which may be open).
    """

    pieces: int
    triangles: int
    vertices: int
    volume_m3: float | None


def collision_cost(scene: Scene, part: str) -> dict[str, CollisionCost]:
    """What a box, a hull, a hull for each connected piece, and the mesh itself would cost for a part, in the
    world's metres.
    """
    node = scene.nodes[part]
    own, faces = joined_mesh(scene.meshes[node.mesh].primitives if node.mesh else ())
    cloud = transform_points(scene.world_matrices()[part], own)
    welded, count = same_points(cloud.astype(np.float32))
    triangles = welded[faces]
    size = np.ptp(cloud, axis=0) if len(cloud) else np.zeros(3)
    whole = _hull(cloud)
    piece = pieces_of(triangles.astype(np.uint32), count)
    hulls = [_hull(cloud[np.unique(faces[piece == number])]) for number in np.unique(piece)]
    return {
        "box": CollisionCost(1, 12, 8, float(np.prod(size))),
        "hull": CollisionCost(1, *whole),
        "pieces": CollisionCost(
            len(hulls), sum(h[0] for h in hulls), sum(h[1] for h in hulls), float(sum(h[2] for h in hulls))
        ),
        "mesh": CollisionCost(1, len(faces), len(np.unique(triangles)), None),
    }


def _hull(points: npt.NDArray[Any]) -> tuple[int, int, float]:
    """Triangles, vertices and volume of the convex hull; a flat or thin cloud has a hull without volume,
    counted as its two sides.
    """
    try:
        hull = ConvexHull(points)
        return len(hull.simplices), len(hull.vertices), float(hull.volume)
    except (QhullError, ValueError):
        return _flat_hull(points)


def _flat_hull(points: npt.NDArray[Any]) -> tuple[int, int, float]:
    centered = points - points.mean(axis=0) if len(points) else points
    if len(points) < 3:
        return 0, len(points), 0.0
    _, _, axes = np.linalg.svd(centered, full_matrices=False)
    try:
        outline = ConvexHull(centered @ axes[:2].T)
    except (QhullError, ValueError):
        return 0, 2, 0.0
    corners = len(outline.vertices)
    return 2 * (corners - 2), corners, 0.0
