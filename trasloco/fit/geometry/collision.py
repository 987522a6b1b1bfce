"""What each shape costs that could stand for a part where things collide."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from trasloco.meshes.hulls import shapes_of
from trasloco.scene.geometry import joined_mesh, transform_points
from trasloco.scene.model import Doubles, Scene
from trasloco.scene.welding import same_points


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
    welded, _ = same_points(cloud.astype(np.float32))
    size = np.ptp(cloud, axis=0) if len(cloud) else np.zeros(3)
    whole = shapes_of(cloud, faces, "hull")
    pieces = shapes_of(cloud, faces, "pieces")
    return {
        "box": CollisionCost(1, 12, 8, float(np.prod(size))),
        "hull": _cost(whole),
        "pieces": _cost(pieces),
        "mesh": CollisionCost(1, len(faces), len(np.unique(welded[faces])), None),
    }


def _cost(hulls: list[tuple[Doubles, np.ndarray]]) -> CollisionCost:
    return CollisionCost(
        max(len(hulls), 1),
        sum(len(triangles) for _, triangles in hulls),
        sum(len(points) for points, _ in hulls),
        float(sum(_volume(points) for points, _ in hulls)),
    )


def _volume(points: Doubles) -> float:
    """Of the hull of points; a flat one has none."""
    try:
        return float(ConvexHull(points).volume)
    except (QhullError, ValueError):
        return 0.0
