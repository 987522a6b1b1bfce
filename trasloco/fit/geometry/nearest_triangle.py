"""How far points lie from a surface of triangles: each finds its nearest triangle down a tree of boxes."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit
from trasloco.processors import processors

Doubles = npt.NDArray[np.float64]
_LEAF, _DEPTH, _PIECE = 4, 64, 4096


@njit(nogil=True, inline="always")
def _to_triangle(x: float, y: float, z: float, t: Any) -> float:
    """Squared distance of a point from a triangle (3, 3): the region of the plane that it lies over is found by
    its barycentric coordinates (Ericson, Real-Time Collision Detection, 5.1.5). A triangle without area is
    the longest of its sides.
    """
    abx, aby, abz = t[1, 0] - t[0, 0], t[1, 1] - t[0, 1], t[1, 2] - t[0, 2]
    acx, acy, acz = t[2, 0] - t[0, 0], t[2, 1] - t[0, 1], t[2, 2] - t[0, 2]
    nx, ny, nz = aby * acz - abz * acy, abz * acx - abx * acz, abx * acy - aby * acx
    squared = nx * nx + ny * ny + nz * nz
    ox, oy, oz = x - t[0, 0], y - t[0, 1], z - t[0, 2]
    if squared > 0:
        # Shares of the three corners, times the squared area.
        b = (oy * acz - oz * acy) * nx + (oz * acx - ox * acz) * ny + (ox * acy - oy * acx) * nz
        c = (aby * oz - abz * oy) * nx + (abz * ox - abx * oz) * ny + (abx * oy - aby * ox) * nz
        if b >= 0 and c >= 0 and b + c <= squared:
            above = ox * nx + oy * ny + oz * nz
            return float(above * above / squared)
    best = float(np.inf)
    for k in range(3):
        m = (k + 1) % 3
        ex, ey, ez = t[m, 0] - t[k, 0], t[m, 1] - t[k, 1], t[m, 2] - t[k, 2]
        qx, qy, qz = x - t[k, 0], y - t[k, 1], z - t[k, 2]
        length = ex * ex + ey * ey + ez * ez
        share = 0.0
        if length > 0:
            share = min(max((qx * ex + qy * ey + qz * ez) / length, 0.0), 1.0)
        dx, dy, dz = qx - share * ex, qy - share * ey, qz - share * ez
        best = min(best, dx * dx + dy * dy + dz * dz)
    return float(best)


@njit(nogil=True, inline="always")
def _to_box(x: float, y: float, z: float, box: Any) -> float:
    """Squared distance of a point from a box (2, 3); 0 inside."""
    dx = max(box[0, 0] - x, x - box[1, 0], 0.0)
    dy = max(box[0, 1] - y, y - box[1, 1], 0.0)
    dz = max(box[0, 2] - z, z - box[1, 2], 0.0)
    return float(dx * dx + dy * dy + dz * dz)


@njit(nogil=True)
def _nearest(points: Any, triangles: Any, boxes: Any, leaves: int, out: Any) -> None:
    waiting = np.empty(_DEPTH, np.int64)
    distance = np.empty(_DEPTH, np.float64)
    for n in range(points.shape[0]):
        x, y, z = points[n, 0], points[n, 1], points[n, 2]
        best = np.inf
        waiting[0], distance[0], held = 0, 0.0, 1
        while held:
            held -= 1
            if distance[held] >= best:
                continue
            node = waiting[held]
            if node >= leaves - 1:
                first = (node - leaves + 1) * _LEAF
                for k in range(first, min(first + _LEAF, triangles.shape[0])):
                    best = min(best, _to_triangle(x, y, z, triangles[k]))
                continue
            near, far = 2 * node + 1, 2 * node + 2
            to_near, to_far = _to_box(x, y, z, boxes[near]), _to_box(x, y, z, boxes[far])
            if to_far < to_near:
                near, far, to_near, to_far = far, near, to_far, to_near
            if to_far < best:
                waiting[held], distance[held] = far, to_far
                held += 1
            if to_near < best:
                waiting[held], distance[held] = near, to_near
                held += 1
        out[n] = np.sqrt(best)


def distances(points: Doubles, triangles: Doubles) -> Doubles:
    """Of points (N, 3) from the nearest of triangles (M, 3, 3), (N,), in their unit; inf where there is none.

    Triangles lie in the order of a curve through space (Morton 1966), four a leaf; the boxes above them are a
    full binary tree.
    """
    out = np.full(len(points), np.inf)
    if not len(triangles) or not len(points):
        return out
    ordered = np.ascontiguousarray(
        triangles[np.argsort(_along_a_curve(triangles.mean(axis=1)), kind="stable")]
    )
    boxes, leaves = _boxes(ordered)

    def piece(start: int) -> None:
        part = slice(start, start + _PIECE)
        _nearest(points[part], ordered, boxes, leaves, out[part])

    points = np.ascontiguousarray(points, np.float64)
    with ThreadPoolExecutor(processors()) as pool:
        list(pool.map(piece, range(0, len(points), _PIECE)))
    return out


def _along_a_curve(places: Doubles) -> npt.NDArray[np.uint64]:
    """Places (N, 3) as numbers in which neighbours are near each other: 21 bits an axis, interleaved."""
    low = places.min(axis=0)
    size = max(float((places.max(axis=0) - low).max()), 1e-300)
    made = np.zeros(len(places), np.uint64)
    for axis in range(3):
        v = ((places[:, axis] - low[axis]) / size * (2**21 - 1)).astype(np.uint64)
        for shift, mask in (
            (32, 0x1F00000000FFFF),
            (16, 0x1F0000FF0000FF),
            (8, 0x100F00F00F00F00F),
            (4, 0x10C30C30C30C30C3),
            (2, 0x1249249249249249),
        ):
            v = (v | (v << np.uint64(shift))) & np.uint64(mask)
        made |= v << np.uint64(axis)
    return made


def _boxes(triangles: Doubles) -> tuple[Doubles, int]:
    """Boxes (B, 2, 3) of a full binary tree, the root first, and how many leaves it has; a leaf beyond the
    last triangle has a box that nothing is near to.
    """
    count = -(-len(triangles) // _LEAF)
    leaves = 1 << (count - 1).bit_length()
    boxes = np.empty((2 * leaves - 1, 2, 3))
    boxes[:, 0], boxes[:, 1] = np.inf, -np.inf
    starts = np.arange(0, len(triangles), _LEAF)
    last = boxes[leaves - 1 : leaves - 1 + count]
    last[:, 0] = np.minimum.reduceat(triangles.min(axis=1), starts)
    last[:, 1] = np.maximum.reduceat(triangles.max(axis=1), starts)
    while leaves > 1:
        below = boxes[leaves - 1 : 2 * leaves - 1].reshape(-1, 2, 2, 3)
        leaves //= 2
        boxes[leaves - 1 : 2 * leaves - 1, 0] = below[:, :, 0].min(axis=1)
        boxes[leaves - 1 : 2 * leaves - 1, 1] = below[:, :, 1].max(axis=1)
    return boxes, (len(boxes) + 1) // 2
