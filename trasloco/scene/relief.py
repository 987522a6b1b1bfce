"""Height to normal: the one place for the formula that the renderer and the steps share."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit

Floats = npt.NDArray[np.float32]


def normal_from_height(
    height: npt.NDArray[Any], depth: float, told: bool = False, inverted: bool = False
) -> Floats:
    """Tangent-space normals of a height field that repeats.

    With h in [0, 1] over one repeat of the image and ``depth`` the relief depth as a fraction of that repeat,
    the surface is
    z = depth * h(u, v); its normal is (-dz/du, -dz/dv', 1) normalised, v' running up. Derivatives are central
    differences
    with wrap; u has ``width`` texels a repeat and v ``height`` texels.

    Args:
        height: (H, W) in [0, 1], or unsigned codes of it.
        depth: relief depth / repeat.
        inverted: white is deepest.
        told: as images tell them, (n + 1) / 2.

    Returns:
        (H, W, 3) unit vectors, +Y up in the image; ``told``, values in [0, 1].
    """
    rows, columns = height.shape
    codes = (
        np.ascontiguousarray(height) if height.dtype.kind == "u" else np.ascontiguousarray(height, np.float32)
    )
    top = float(np.iinfo(codes.dtype).max) if codes.dtype.kind == "u" else 1.0
    found = np.empty((rows, columns, 3), np.float32)
    _normals(
        codes,
        (1 / top, inverted),
        (0.5 * columns * depth, 0.5 * rows * depth),
        (0.5, 0.5) if told else (1.0, 0.0),
        found,
    )
    return found


@njit(nogil=True, error_model="numpy")
def _normals(codes: Any, height: Any, counts: Any, told: Any, out: Any) -> None:
    """The normals of (H, W) codes. ``height``: of one code, and whether it is what is missing to 1; ``counts``:
    what a difference over two texels counts across and up; ``told``: a factor for what is written, and
    something more.

    A row at a time, channel by channel: each is one even run, which the compiler makes vectors of.
    """
    rows, columns = codes.shape
    last = columns - 1
    unit, wide, high = np.float32(height[0]), np.float32(counts[0]), np.float32(counts[1])
    part, whole, one = np.float32(told[0]), np.float32(told[1]), np.float32(1)
    x, y, z = np.empty((3, columns), np.float32)
    above, row, below = np.empty((3, columns), np.float32)
    for at in range(rows):
        for read, where in ((above, at - 1 if at else rows - 1), (row, at), (below, (at + 1) % rows)):
            source = codes[where]
            for i in range(columns):
                read[i] = np.float32(source[i]) * unit
            if height[1]:
                for i in range(columns):
                    read[i] = one - read[i]
        x[0] = (row[1 if last else 0] - row[last]) * wide
        x[last] = (row[0] - row[last - 1 if last else 0]) * wide
        for i in range(1, last):
            x[i] = (row[i + 1] - row[i - 1]) * wide
        for i in range(columns):
            du, dv_up = x[i], (above[i] - below[i]) * high
            scale = one / np.sqrt(du * du + dv_up * dv_up + one)
            x[i] = -du * scale * part + whole
            y[i] = -dv_up * scale * part + whole
            z[i] = scale * part + whole
        made = out[at]
        for i in range(columns):
            made[i, 0], made[i, 1], made[i, 2] = x[i], y[i], z[i]
