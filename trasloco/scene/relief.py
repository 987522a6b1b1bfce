"""Height to normal: the one place for the formula that the renderer and the steps share."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

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
    du = (np.roll(height, -1, axis=1) - np.roll(height, 1, axis=1)) * np.float32(0.5 * columns * depth)
    dv_up = (np.roll(height, 1, axis=0) - np.roll(height, -1, axis=0)) * np.float32(0.5 * rows * depth)
    length = np.sqrt(du * du + dv_up * dv_up + np.float32(1))
    return np.stack([-du / length, -dv_up / length, 1 / length], axis=-1).astype(np.float32)
