"""Values of an image at UVs, as a renderer reads them."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import numpy.typing as npt

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
    height, width = values.shape[:2]
    at = placed(np.asarray(uv, np.float64), texture)
    x, y = at[..., 0] * width - 0.5, at[..., 1] * height - 0.5
    x0, y0 = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    fx, fy = (x - x0)[..., None].astype(np.float32), (y - y0)[..., None].astype(np.float32)
    left, right = _wrapped(x0, width, texture.wrap[0]), _wrapped(x0 + 1, width, texture.wrap[0])
    top, bottom = _wrapped(y0, height, texture.wrap[1]), _wrapped(y0 + 1, height, texture.wrap[1])
    return np.asarray(
        (values[top, left] * (1 - fx) + values[top, right] * fx) * (1 - fy)
        + (values[bottom, left] * (1 - fx) + values[bottom, right] * fx) * fy,
        np.float32,
    )


def _wrapped(index: npt.NDArray[np.int64], size: int, wrap: str) -> npt.NDArray[np.int64]:
    if wrap == "clamp":
        return np.clip(index, 0, size - 1)
    if wrap == "mirror":
        folded = index % (2 * size)
        return np.where(folded < size, folded, 2 * size - 1 - folded)
    return index % size
