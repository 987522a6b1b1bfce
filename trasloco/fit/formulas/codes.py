"""Pixel conversions.

Each is a pure function on (H, W) or (H, W, C) arrays; integers stay integers where the step is exact on
codes.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from trasloco.fit.formulas.passes import looked_up, rounded
from trasloco.fit.formulas.resampling import resample, resample_codes
from trasloco.scene.color import decode_srgb8, linear_to_srgb, srgb_to_linear
from trasloco.scene.images import unit_floats
from trasloco.scene.relief import normal_from_height
from trasloco.scene.resolve import channel_of, color_of
from trasloco.scene.texels_held import Pixels

Encoding = Literal["srgb", "linear"]


def extract(texels: Pixels, channels: str) -> Pixels:
    """``rgb`` as (H, W, 3), or one channel as (H, W)."""
    return color_of(texels) if channels == "rgb" else channel_of(texels, channels)


def invert(texels: Pixels) -> Pixels:
    """Full scale minus value: gloss to roughness by r = 1 - g. Its own inverse, exact on integer codes."""
    if texels.dtype.kind == "u":
        return np.asarray(np.iinfo(texels.dtype).max - texels)
    return np.asarray(1 - texels)


def turn_green(texels: Pixels) -> Pixels:
    """The other normal-map convention: y -> -y, which on codes is full scale minus green.

    Its own inverse, exact.
    """
    turned = texels.copy()
    turned[..., 1] = invert(texels[..., 1])
    return turned


def relief(heights: Pixels, depth: float, inverted: bool = False) -> npt.NDArray[np.float32]:
    """Height (H, W) to normals encoded as (n + 1) / 2, green up; see
    :func:`trasloco.scene.relief.normal_from_height`.
    """
    return normal_from_height(heights, depth, told=True, inverted=inverted)


def decode(texels: Pixels, encoding: Encoding) -> npt.NDArray[np.float32]:
    """Linear float32 of encoded texels."""
    if encoding == "linear":
        return unit_floats(texels)
    return decode_srgb8(texels) if texels.dtype == np.uint8 else srgb_to_linear(unit_floats(texels))


def encode_values(linear: npt.NDArray[Any], encoding: Encoding) -> npt.NDArray[np.float32]:
    """Values in [0, 1] as the destination stores them."""
    return linear_to_srgb(linear) if encoding == "srgb" else np.clip(np.asarray(linear, np.float32), 0, 1)


FLOATING = 32
"""The depth of values that are stored as they are."""


def code_type(depth: int) -> type[np.uint8] | type[np.uint16] | type[np.float32]:
    """What holds codes of a bit depth."""
    return np.float32 if depth == FLOATING else np.uint8 if depth == 8 else np.uint16


def full_scale(depth: int) -> float:
    """The code of 1."""
    return 1.0 if depth == FLOATING else 2.0**depth - 1


def stored(values: npt.NDArray[Any], encoded: bool) -> npt.NDArray[np.float32]:
    """Values as a file stores them, ``encoded`` as sRGB or not; what is above one stays above it."""
    if not encoded:
        return np.asarray(values, np.float32)
    inside = linear_to_srgb(values)
    above = float(np.max(values, initial=0)) > 1
    return np.asarray(np.where(values > 1, values, inside) if above else inside, np.float32)


def multiply(
    texels: Pixels, factor: tuple[float, ...], source: Encoding, target: Encoding
) -> npt.NDArray[np.float32]:
    """A constant multiplied in, in linear light; encoded for the target, (H, W) or (H, W, 3) float32.

    Eight-bit texels have only 256 values a channel, so the curve is evaluated on those and looked up.
    """
    if texels.dtype == np.uint8:
        codes = decode(np.arange(256, dtype=np.uint8), source)
        planes = texels[..., :3] if texels.ndim == 3 else texels[..., None]
        tables = [
            encode_values(codes * np.float32(factor[min(c, len(factor) - 1)]), target)
            for c in range(planes.shape[2])
        ]
        found = np.empty(planes.shape, np.float32)
        looked_up(planes, np.stack(tables), found)
        return found if texels.ndim == 3 else found[..., 0]
    linear = decode(texels, source)
    scale = np.asarray(factor, np.float32)
    return encode_values(linear * (scale if texels.ndim == 3 and len(factor) == 3 else scale[0]), target)


def resize(
    texels: Pixels, width: int, height: int, encoding: Encoding, vectors: bool = False, most: float = 1.0
) -> npt.NDArray[np.float32]:
    """Resize in linear light, encoded in and out, cut to [0, 1], linear ones to [0, ``most``]; normals are
    resized as vectors and made unit again.
    """
    if vectors:
        moved = _resampled(texels, lambda values: unit_floats(values) * 2 - 1, width, height)
        moved /= np.maximum(np.linalg.norm(moved, axis=-1, keepdims=True), 1e-6)
        return np.asarray(moved * np.float32(0.5) + np.float32(0.5), np.float32)
    made = _resampled(texels, lambda values: decode(values, encoding), width, height)
    return np.clip(made, 0, most) if encoding == "linear" else encode_values(made, encoding)


def _resampled(
    texels: Pixels, read: Callable[[Pixels], npt.NDArray[np.float32]], width: int, height: int
) -> npt.NDArray[np.float32]:
    """A resize of what is read of texels: of codes, what each of them says."""
    if texels.dtype in (np.uint8, np.uint16):
        every = np.arange(np.iinfo(texels.dtype).max + 1, dtype=texels.dtype)
        return resample_codes(texels, read(every), width, height)
    return resample(read(texels), width, height)


def to_depth(values: Pixels, depth: int) -> Pixels:
    """Codes of the given bit depth, rounded to nearest; integer codes of the same depth pass unchanged.

    8 to 16 bits multiplies by 257, which maps full scale to full scale exactly. Floating values stay.
    """
    if depth == FLOATING:
        return unit_floats(values)
    kind = code_type(depth)
    if values.dtype == kind:
        return values
    if values.dtype == np.uint8:
        return values.astype(np.uint16) * np.uint16(257)
    if values.dtype == np.uint16:
        return ((values.astype(np.uint32) + 128) // 257).astype(np.uint8)
    codes = np.empty(values.shape, kind)
    flat = np.ascontiguousarray(values, np.float32).reshape(-1)
    rounded(flat, 255.0 if depth == 8 else 65535.0, codes.reshape(-1))
    return codes


def pack(planes: dict[str, Pixels], fill: dict[str, float], depth: int) -> Pixels:
    """Channels put together, (H, W, C): ``rgb`` with an optional ``a``, or any of r, g, b, a; constants where
    no plane is given.
    """
    some = next(iter(planes.values()))
    height, width = some.shape[:2]
    kind, top = code_type(depth), full_scale(depth)
    if "rgb" in planes and planes["rgb"].ndim == 2:  # one channel read as a colour is grey
        planes = {**planes, "rgb": np.repeat(planes["rgb"][..., None], 3, axis=2)}
    if set(planes) == {"rgb"} and "a" not in fill:
        return planes["rgb"]
    if set(planes) == {"r"} and not fill:
        return planes["r"][..., None]
    letters = "rgba" if "a" in planes or "a" in fill else "rgb"
    packed = np.empty((height, width, len(letters)), kind)
    for k, letter in enumerate(letters):
        if letter in planes:
            packed[..., k] = planes[letter]
        elif "rgb" in planes and letter != "a":
            packed[..., k] = planes["rgb"][..., k]
        else:
            value = fill.get(letter, 1.0) * top
            packed[..., k] = value if depth == FLOATING else round(value)
    return packed
