"""What stands for parts where things collide, as meshes of their own that are not drawn: their purpose is
``guide``.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from pxr import UsdGeom, Vt

from trasloco.formats.usd_names import identifier
from trasloco.meshes.obstacles import obstacles_of
from trasloco.scene.model import Mesh, Node, Obstacle

OBSTACLE = "trasloco:obstacle"
"""Custom data of such a mesh: which shape it is."""


def write_obstacles(stage: Any, path: Any, node: Node, mesh: Mesh, inside: set[str]) -> None:
    """Below the part's prim, in its own space."""
    for one in obstacles_of(mesh, node.tags.collision):
        made = UsdGeom.Mesh.Define(stage, path.AppendChild(identifier("obstacle", inside)))
        made.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(one.positions)))
        made.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(one.indices), 3, np.int32)))
        flat = np.ascontiguousarray(one.indices.reshape(-1), np.int32)
        made.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(flat))
        made.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        made.CreateExtentAttr(UsdGeom.PointBased.ComputeExtent(made.GetPointsAttr().Get()))
        made.CreatePurposeAttr(UsdGeom.Tokens.guide)
        made.GetPrim().SetCustomDataByKey(OBSTACLE, node.tags.collision)


def is_obstacle(prim: Any) -> bool:
    return bool(prim.IsA(UsdGeom.Mesh) and prim.HasCustomDataKey(OBSTACLE))


def read_obstacle(prim: Any) -> Obstacle | None:
    """A shape; None where it is not made of triangles that it has points for."""
    mesh = UsdGeom.Mesh(prim)
    points = np.asarray(mesh.GetPointsAttr().Get() or [], np.float32).reshape(-1, 3)
    counts = np.asarray(mesh.GetFaceVertexCountsAttr().Get() or [], np.int64)
    faces = np.asarray(mesh.GetFaceVertexIndicesAttr().Get() or [], np.int64)
    if not len(faces) or (counts != 3).any() or len(faces) != 3 * len(counts):
        return None
    if faces.min() < 0 or faces.max() >= len(points) or not np.isfinite(points).all():
        return None
    return Obstacle(points, faces.reshape(-1, 3).astype(np.uint32))
