"""Lightmaps as files: light in lux as codes, and back."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from trasloco.scene.color import linear_to_srgb, srgb_to_linear
from trasloco.scene.images import Image, encode, pixels
from trasloco.scene.resolve import color_of

Floats = npt.NDArray[np.float32]
BYTES = {"half float": 8, "rgbm": 4, "8 bit": 4}
"""Bytes a texel in the destination's memory: four channels each; a quarter of it, and never more than one,
when compressed in blocks.
"""
BYTES_OF_DIRECTION = 4


def bytes_a_texel(encoding: str, compressed: bool) -> int:
    return 1 if compressed else BYTES[encoding]


def level_of(lux: Floats) -> float:
    """Lux that a full code stands for: the most there is, rounded up to two figures."""
    most = float(lux.max(initial=0.0))
    if most <= 0 or not math.isfinite(most):
        return 1.0
    step = 10.0 ** (math.floor(math.log10(most)) - 1)
    return math.ceil(most / step) * step


def rgbm_codes(share: Floats) -> npt.NDArray[np.uint8]:
    """Codes (H, W, 4) of values in [0, 1]: value = (RGB x M)^2, with the least M that holds the brightest
    channel, so that the colours keep most of their 8 bits.
    """
    root = np.sqrt(np.clip(share, 0, 1))
    m = np.maximum(np.ceil(root.max(axis=-1, keepdims=True) * 255 - 1e-4), 1) / 255
    return np.concatenate([np.round(root / m * 255), m * 255], axis=-1).clip(0, 255).round().astype(np.uint8)


def rgbm_values(codes: npt.NDArray[np.uint8]) -> Floats:
    """Values (H, W, 3) of :func:`rgbm_codes`."""
    scaled = codes.astype(np.float32) / np.float32(255)
    return np.asarray((scaled[..., :3] * scaled[..., 3:4]) ** 2, np.float32)


def written(lux: Floats, encoding: str, compressed: bool = False) -> tuple[bytes, str, float]:
    """A lightmap (H, W, 3) as a file, its kind, and the lux that a value of 1 stands for."""
    level = level_of(lux)
    share = np.clip(lux / np.float32(level), 0, 1).astype(np.float32)
    if encoding == "half float":
        return encode(np.ascontiguousarray(share), "exr"), "exr", level
    codes = (
        rgbm_codes(share) if encoding == "rgbm" else np.round(linear_to_srgb(share) * 255).astype(np.uint8)
    )
    kind = "ktx2" if compressed else "png"
    return encode(np.ascontiguousarray(codes), kind, encoding == "8 bit"), kind, level


def direction_written(toward: Floats) -> bytes:
    """Directions (H, W, 3), at most 1 long, as an 8-bit PNG: a half of each and a half more."""
    return encode(
        np.ascontiguousarray(np.round((np.clip(toward, -1, 1) * 0.5 + 0.5) * 255).astype(np.uint8)), "png"
    )


def read(image: Image, encoding: str) -> Floats:
    """Values (H, W, 3) in [0, 1] of a lightmap's file, by the encoding that its destination has."""
    texels = pixels(image)
    if encoding == "rgbm" and texels.shape[-1] == 4 and texels.dtype == np.uint8:
        return rgbm_values(texels)
    values = color_of(texels)
    if values.dtype == np.float32:
        return np.clip(values, 0, 1)
    most = 255 if values.dtype == np.uint8 else 65535
    return np.asarray(srgb_to_linear(values.astype(np.float32) / np.float32(most)), np.float32)
