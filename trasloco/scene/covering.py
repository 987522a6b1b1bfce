"""Triangles drawn into a square of texels: which lie under which centre, how often, and what stands where
none does.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit


@njit()
def _reach(c: Any, width: int, height: int) -> tuple[int, int, int, int]:
    """Columns and rows whose centres a triangle (3, 2) may hold: first and beyond the last."""
    return (
        max(math.floor(min(c[0, 0], c[1, 0], c[2, 0]) - 0.5), 0),
        min(math.ceil(max(c[0, 0], c[1, 0], c[2, 0])) + 1, width),
        max(math.floor(min(c[0, 1], c[1, 1], c[2, 1]) - 0.5), 0),
        min(math.ceil(max(c[0, 1], c[1, 1], c[2, 1])) + 1, height),
    )


@njit()
def weights_in(c: Any, px: float, py: float) -> tuple[float, float, float]:
    """Barycentric weights of a point in a triangle (3, 2); all below zero where it has no area."""
    area = (c[1, 0] - c[0, 0]) * (c[2, 1] - c[0, 1]) - (c[2, 0] - c[0, 0]) * (c[1, 1] - c[0, 1])
    if abs(area) < 1e-12:
        return -1.0, -1.0, -1.0
    b = ((px - c[0, 0]) * (c[2, 1] - c[0, 1]) - (c[2, 0] - c[0, 0]) * (py - c[0, 1])) / area
    d = ((c[1, 0] - c[0, 0]) * (py - c[0, 1]) - (px - c[0, 0]) * (c[1, 1] - c[0, 1])) / area
    return 1.0 - b - d, b, d


@njit()
def cover(corners: Any, first: int, triangle: Any, weights: Any) -> None:
    """For the texels whose centres lie inside each (T, 3, 2) triangle (pixels): its number from ``first`` on,
    and the barycentric weights of its corners.
    """
    height, width = triangle.shape
    for t in range(corners.shape[0]):
        x0, x1, y0, y1 = _reach(corners[t], width, height)
        for y in range(y0, y1):
            for x in range(x0, x1):
                a, b, c = weights_in(corners[t], x + 0.5, y + 0.5)
                if min(a, b, c) >= -1e-6:
                    triangle[y, x] = first + t
                    weights[y, x, 0], weights[y, x, 1], weights[y, x, 2] = a, b, c


@njit()
def _count(corners: Any, count: Any) -> None:
    height, width = count.shape
    for t in range(corners.shape[0]):
        x0, x1, y0, y1 = _reach(corners[t], width, height)
        for y in range(y0, y1):
            for x in range(x0, x1):
                # Strictly inside: a centre on the edge that two neighbours share is not claimed twice.
                a, b, c = weights_in(corners[t], x + 0.5, y + 0.5)
                if min(a, b, c) > 1e-4:
                    count[y, x] += 1


def covered(corners: Sequence[npt.NDArray[np.float32]], side: int) -> npt.NDArray[np.int32]:
    """How many triangles (T, 3, 2) in UV lie over each texel's centre of a square (side, side)."""
    count = np.zeros((side, side), np.int32)
    for one in corners:
        _count(np.ascontiguousarray(one * np.float32(side)), count)
    return count


def padded(values: npt.NDArray[Any], kept: npt.NDArray[np.bool_]) -> npt.NDArray[Any]:
    """Every texel outside ``kept`` (H, W) takes the value of the nearest one inside, so that filtering and
    smaller sizes find no stray colour at a border.
    """
    if kept.all() or not kept.any():
        return values
    flat = values.reshape(kept.size, *values.shape[2:])
    return np.asarray(flat[nearest_inside(kept)].reshape(values.shape))


def nearest_inside(kept: npt.NDArray[np.bool_]) -> npt.NDArray[np.int64]:
    """For every texel of (H, W) the nearest one inside ``kept``, counted row by row, (H x W,); itself where
    none is.
    """
    from scipy.ndimage import distance_transform_edt

    if kept.all() or not kept.any():
        return np.arange(kept.size)
    _, (rows, columns) = distance_transform_edt(~kept, return_indices=True)
    return np.asarray(rows.astype(np.int64) * kept.shape[1] + columns).reshape(-1)
