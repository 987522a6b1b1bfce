"""Faces found from faces: what lies in their plane, in their smooth surface, what hangs together with them,
one ring more or less. Faces are numbered over a mesh's primitives in order.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

import numpy as np
import numpy.typing as npt

from trasloco.meshes.topology import edges_of
from trasloco.scene.geometry import face_vectors, joined_mesh
from trasloco.scene.model import Mesh, Primitive
from trasloco.scene.welding import joined

How = Literal["plane", "smooth", "connected", "slot", "more", "fewer"]
Faces = npt.NDArray[np.bool_]
_FLAT = 1e-3
"""How far from a plane a point may lie and still be in it, as a share of the mesh's extent."""


def found_from(mesh: Mesh, picked: Sequence[int], how: How, angle_deg: float = 20.0) -> list[int]:
    """Faces that belong to some picked ones, these included but for ``fewer``; their numbers, rising.

    Args:
        how: ``plane``: joined to them and in the plane of one of them, facing no more than ``angle_deg``
            otherwise.
            ``smooth``: joined over edges that bend by no more than ``angle_deg``. ``connected``: joined at all.
            ``slot``: wearing the same material. ``more``, ``fewer``: one ring of faces added, or taken away.
    """
    points, triangles = joined_mesh(mesh.primitives)
    chosen = np.zeros(len(triangles), bool)
    chosen[[k for k in picked if 0 <= k < len(triangles)]] = True
    if not chosen.any():
        return []
    if how == "slot":
        worn = np.repeat(
            [str(p.material) for p in mesh.primitives], [len(p.indices) for p in mesh.primitives]
        )
        return _numbers(np.isin(worn, worn[chosen]))
    edges = edges_of(Primitive(points, triangles.astype(np.uint32)))
    if how in ("more", "fewer"):
        return _numbers(_ring(edges.welded, chosen, how == "more"))
    pairs = edges.faces[(edges.faces >= 0).all(axis=1)]
    normals = face_vectors(points, triangles.astype(np.uint32))
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-30)
    bend = math.cos(math.radians(angle_deg))
    if how == "plane":
        return _numbers(_in_planes(points, triangles, normals, pairs, chosen, bend))
    if how == "smooth":
        pairs = pairs[(normals[pairs[:, 0]] * normals[pairs[:, 1]]).sum(axis=1) >= bend - 1e-9]
    return _numbers(_reached(pairs, chosen))


def _numbers(faces: Faces) -> list[int]:
    return [int(k) for k in np.flatnonzero(faces)]


def _reached(pairs: npt.NDArray[np.int32], chosen: Faces) -> Faces:
    """Faces that pairs of neighbours lead to from the chosen ones."""
    label = joined(pairs[:, 0], pairs[:, 1], len(chosen))
    return np.asarray(np.isin(label, np.unique(label[chosen])))


def _in_planes(
    points: npt.NDArray[np.float32],
    triangles: npt.NDArray[np.int64],
    normals: npt.NDArray[np.float64],
    pairs: npt.NDArray[np.int32],
    chosen: Faces,
    bend: float,
) -> Faces:
    """Faces joined to a chosen one that lie in its plane, each chosen face for itself."""
    reach = _FLAT * max(float(np.ptp(points, axis=0).max()), 1e-12)
    corners = points.astype(np.float64)[triangles]
    found, waiting = chosen.copy(), list(np.flatnonzero(chosen))
    while waiting:
        seed = waiting[0]
        off = np.abs((corners - corners[seed, 0]) @ normals[seed]).max(axis=1)
        flat = (off <= reach) & (normals @ normals[seed] >= bend - 1e-9)
        one = np.zeros(len(chosen), bool)
        one[seed] = True
        reached = _reached(pairs[flat[pairs].all(axis=1)], one)
        found |= reached
        # What lies in the same patch would only find it again.
        waiting = [other for other in waiting[1:] if not reached[other]]
    return found


def _ring(corner: npt.NDArray[np.int32], chosen: Faces, more: bool) -> Faces:
    """One ring of faces more, or fewer: those that share a point with a chosen face, or with one that is not.

    ``corner``: (M, 3) points of the faces, equal ones made one.
    """
    touched = np.zeros(int(corner.max(initial=-1)) + 1, bool)
    touched[corner[chosen if more else ~chosen].reshape(-1)] = True
    near = touched[corner].any(axis=1)
    return np.asarray(chosen | near if more else chosen & ~near)
