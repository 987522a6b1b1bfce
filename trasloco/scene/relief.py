"""Height to normal: the one place for the formula that the renderer and the steps share."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
from numba import njit

Floats = npt.NDArray[np.float32]


def normal_from_height(height: Floats, depth: float) -> Floats:
    """Tangent-space normals of a height field that repeats.

    With h in [0, 1] over one repeat of the image and ``depth`` the relief depth as a fraction of that repeat,
    the surface is
    z = depth * h(u, v); its normal is (-dz/du, -dz/dv', 1) normalised, v' running up. Derivatives are central
    differences
    with wrap; u has ``width`` texels a repeat and v ``height`` texels.

    Args:
        height: (H, W) in [0, 1].
        depth: relief depth / repeat.

    Returns:
        (H, W, 3) unit vectors, +Y up in the image.
    """
    rows, columns = height.shape
    found = np.empty((rows, columns, 3), np.float32)
    _normals(np.ascontiguousarray(height, np.float32), 0.5 * columns * depth, 0.5 * rows * depth, found)
    return found


@njit(cache=True, nogil=True, error_model="numpy")
def _normals(height: Any, across: float, up: float, out: Any) -> None:
    """The normals of (H, W) heights whose differences over two texels count ``across`` and ``up``."""
    rows, columns = height.shape
    for y in range(rows):
        above, below = height[y - 1 if y else rows - 1], height[y + 1 if y + 1 < rows else 0]
        row, made = height[y], out[y]
        for x in range(columns):
            left, right = row[x - 1 if x else columns - 1], row[x + 1 if x + 1 < columns else 0]
            du = (right - left) * np.float32(across)
            dv_up = (above[x] - below[x]) * np.float32(up)
            scale = np.float32(1) / np.sqrt(du * du + dv_up * dv_up + np.float32(1))
            made[x, 0], made[x, 1], made[x, 2] = -du * scale, -dv_up * scale, scale
