"""Triangles drawn into a square of texels: which lie under which centre, how often, and what stands where none does."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt
from numba import njit
from scipy.ndimage import distance_transform_edt


@njit(cache=True)
def cover(corners: Any, first: int, triangle: Any, weights: Any) -> None:
    """For the texels whose centres lie inside each (T, 3, 2) triangle (pixels): its number from ``first`` on, and the barycentric weights of its corners."""
    height, width = triangle.shape
    for t in range(corners.shape[0]):
        x0, y0, x1, y1, x2, y2 = corners[t, 0, 0], corners[t, 0, 1], corners[t, 1, 0], corners[t, 1, 1], corners[t, 2, 0], corners[t, 2, 1]
        area = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
        if abs(area) < 1e-12:
            continue
        for y in range(max(math.floor(min(y0, y1, y2) - 0.5), 0), min(math.ceil(max(y0, y1, y2)) + 1, height)):
            for x in range(max(math.floor(min(x0, x1, x2) - 0.5), 0), min(math.ceil(max(x0, x1, x2)) + 1, width)):
                px, py = x + 0.5, y + 0.5
                b = ((px - x0) * (y2 - y0) - (x2 - x0) * (py - y0)) / area
                c = ((x1 - x0) * (py - y0) - (px - x0) * (y1 - y0)) / area
                a = 1.0 - b - c
                if a < -1e-6 or b < -1e-6 or c < -1e-6:
                    continue
                triangle[y, x] = first + t
                weights[y, x, 0], weights[y, x, 1], weights[y, x, 2] = a, b, c


@njit(cache=True)
def _count(corners: Any, count: Any) -> None:
    height, width = count.shape
    for t in range(corners.shape[0]):
        x0, y0, x1, y1, x2, y2 = corners[t, 0, 0], corners[t, 0, 1], corners[t, 1, 0], corners[t, 1, 1], corners[t, 2, 0], corners[t, 2, 1]
        area = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
        if abs(area) < 1e-12:
            continue
        for y in range(max(math.floor(min(y0, y1, y2) - 0.5), 0), min(math.ceil(max(y0, y1, y2)) + 1, height)):
            for x in range(max(math.floor(min(x0, x1, x2) - 0.5), 0), min(math.ceil(max(x0, x1, x2)) + 1, width)):
                px, py = x + 0.5, y + 0.5
                b = ((px - x0) * (y2 - y0) - (x2 - x0) * (py - y0)) / area
                c = ((x1 - x0) * (py - y0) - (px - x0) * (y1 - y0)) / area
                # Strictly inside: a centre on the edge that two neighbours share is not claimed twice.
                if b > 1e-4 and c > 1e-4 and b + c < 1.0 - 1e-4:
                    count[y, x] += 1


def covered(corners: Sequence[npt.NDArray[np.float32]], side: int) -> npt.NDArray[np.int32]:
    """How many triangles (T, 3, 2) in UV lie over each texel's centre of a square (side, side)."""
    count = np.zeros((side, side), np.int32)
    for one in corners:
        _count(np.ascontiguousarray(one * np.float32(side)), count)
    return count


def padded(values: npt.NDArray[Any], kept: npt.NDArray[np.bool_]) -> npt.NDArray[Any]:
    """Every texel outside ``kept`` (H, W) takes the value of the nearest one inside, so that filtering and smaller sizes find no stray colour at a border."""
    if kept.all() or not kept.any():
        return values
    _, (rows, columns) = distance_transform_edt(~kept, return_indices=True)
    return np.asarray(values[rows, columns])
