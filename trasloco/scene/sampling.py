"""Values of an image at UVs, as a renderer reads them."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit
from trasloco.scene.model import Texture


def placed(uv: npt.NDArray[Any], texture: Texture) -> npt.NDArray[Any]:
    """UVs (..., 2) after the texture's offset, turn and repeat: KHR_texture_transform, translation x rotation
    x scale.
    """
    cosine, sine = math.cos(texture.rotation_rad), math.sin(texture.rotation_rad)
    u, v = uv[..., 0] * texture.scale[0], uv[..., 1] * texture.scale[1]
    down = -sine * u + cosine * v + texture.offset[1]
    return np.stack(
        [cosine * u + sine * v + texture.offset[0], 0.5 + (down - 0.5) * texture.stretch], axis=-1
    )


def bilinear(values: npt.NDArray[Any], uv: npt.NDArray[Any], texture: Texture) -> npt.NDArray[np.float32]:
    """Values (H, W, C) at (..., 2) UVs, bilinear, placed and wrapped by the texture; (..., C)."""
    at = placed(np.asarray(uv, np.float64), texture)
    flat = np.ascontiguousarray(at.reshape(-1, 2))
    out = np.empty((len(flat), values.shape[2]), np.float32)
    ways = [_WRAPS.get(wrap, 0) for wrap in texture.wrap]
    _read(np.ascontiguousarray(values, np.float32), flat, ways[0], ways[1], out)
    return out.reshape(*at.shape[:-1], values.shape[2])


_WRAPS = {"repeat": 0, "clamp": 1, "mirror": 2}


@njit(nogil=True)
def _read(values: Any, at: Any, along: int, down: int, out: Any) -> None:
    height, width, channels = values.shape
    for p in range(len(at)):
        x, y = at[p, 0] * width - 0.5, at[p, 1] * height - 0.5
        x0, y0 = math.floor(x), math.floor(y)
        fx, fy = np.float32(x - x0), np.float32(y - y0)
        left, right = _wrapped(x0, width, along), _wrapped(x0 + 1, width, along)
        top, bottom = _wrapped(y0, height, down), _wrapped(y0 + 1, height, down)
        one = np.float32(1)
        for c in range(channels):
            above = values[top, left, c] * (one - fx) + values[top, right, c] * fx
            below = values[bottom, left, c] * (one - fx) + values[bottom, right, c] * fx
            out[p, c] = above * (one - fy) + below * fy


@njit(nogil=True)
def _wrapped(index: int, size: int, wrap: int) -> int:
    if wrap == 1:
        return min(max(index, 0), size - 1)
    if wrap == 2:
        folded = index % (2 * size)
        return folded if folded < size else 2 * size - 1 - folded
    return index % size
