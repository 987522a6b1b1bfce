"""What stands for a part where things collide."""

from __future__ import annotations

import numpy as np

from trasloco.meshes.hulls import shapes_of
from trasloco.scene.geometry import joined_mesh
from trasloco.scene.model import Mesh, Obstacle

SHAPES = ("box", "hull", "pieces")
"""Shapes that are others than the part's own mesh."""


def obstacles_of(mesh: Mesh, shape: str) -> list[Obstacle]:
    """What stands for a mesh, one for each convex piece."""
    points, faces = joined_mesh(mesh.primitives)
    if shape not in SHAPES:
        return []
    return [
        Obstacle(np.asarray(at, np.float32), np.asarray(triangles, np.uint32))
        for at, triangles in shapes_of(points, faces, shape)  # type: ignore[arg-type]
    ]
