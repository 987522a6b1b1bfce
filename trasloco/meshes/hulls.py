"""Simple shapes that stand for a cloud of points or a mesh where things collide."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from trasloco.scene.model import Doubles
from trasloco.scene.welding import pieces_of, same_points

Integers = npt.NDArray[np.int64]
Shape = Literal["box", "hull", "pieces", "mesh"]
_SIDES = np.array([[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]])
_BOX = np.array([t for a, b, c, d in _SIDES for t in ((a, b, c), (a, c, d))], np.int64)


def shapes_of(
    points: npt.NDArray[Any], faces: npt.NDArray[Any], shape: Shape
) -> list[tuple[Doubles, Integers]]:
    """What stands for a mesh: points (N, 3) and triangles (M, 3) that look out, one pair for each convex
    piece; the mesh itself for ``mesh``. A flat piece has its two sides. Empty without points.

    Args:
        points: (N, 3), of the space the shape is made in. faces: (M, 3).
    """
    cloud = np.asarray(points, np.float64)
    if not len(faces):
        return []
    if shape == "mesh":
        return [(cloud, np.asarray(faces, np.int64))]
    if shape == "box":
        low, high = cloud.min(axis=0), cloud.max(axis=0)
        corners = [[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])]
        return [(np.array(corners), _BOX)]
    groups = [np.unique(faces)]
    if shape == "pieces":
        same, count = same_points(cloud.astype(np.float32))
        piece = pieces_of(same[faces].astype(np.uint32), count)
        groups = [np.unique(faces[piece == number]) for number in np.unique(piece)]
    made = [hull_of(cloud[group]) for group in groups]
    return [one for one in made if one is not None]


def hull_of(cloud: Doubles) -> tuple[Doubles, Integers] | None:
    """Points and triangles that look out of the convex hull; of a flat cloud its outline from both sides;
    None for less than a face.
    """
    from scipy.spatial import ConvexHull, QhullError

    try:
        hull = ConvexHull(cloud)
    except (QhullError, ValueError):
        return _flat(cloud)
    used, inverse = np.unique(hull.simplices, return_inverse=True)
    triangles = inverse.reshape(-1, 3)
    points = cloud[used]
    a, b, c = (points[triangles[:, k]] for k in range(3))
    inward = (np.cross(b - a, c - a) * hull.equations[:, :3]).sum(axis=1) < 0
    triangles[inward] = triangles[inward][:, ::-1]
    return points, np.asarray(triangles, np.int64)


def _flat(cloud: Doubles) -> tuple[Doubles, Integers] | None:
    from scipy.spatial import ConvexHull, QhullError

    if len(cloud) < 3:
        return None
    _, _, axes = np.linalg.svd(cloud - cloud.mean(axis=0), full_matrices=False)
    try:
        outline = ConvexHull((cloud - cloud.mean(axis=0)) @ axes[:2].T).vertices
    except (QhullError, ValueError):
        return None
    fan = np.array([(0, k, k + 1) for k in range(1, len(outline) - 1)], np.int64)
    return cloud[outline], np.concatenate([fan, fan[:, ::-1]])
