"""Lightmaps as files: light in lux by one of the encodings, and back."""

from __future__ import annotations

import math

import numpy as np

from trasloco.errors import Refused
from trasloco.light_codes import eight_bit, half_float, rgbm
from trasloco.light_codes.code import Floats, LightCode
from trasloco.scene.images import Image, encode, pixels

LIGHT_CODES: dict[str, LightCode] = {one.name: one for one in (half_float.CODE, rgbm.CODE, eight_bit.CODE)}
"""By name."""
BYTES_OF_DIRECTION = 4


def code_named(name: str, where: str) -> LightCode:
    """An encoding by its name.

    Raises:
        Refused: there is none of that name.
    """
    code = LIGHT_CODES.get(name)
    if code is None:
        raise Refused(
            f"Light is stored in a way that is not known here ({name[:40] or 'it does not say which'}).",
            where,
            f"Store it in one of these: {', '.join(LIGHT_CODES)}.",
        )
    return code


def bytes_a_texel(encoding: str, compressed: bool) -> int:
    """In the destination's memory: never more than one byte when compressed in blocks."""
    return 1 if compressed else LIGHT_CODES[encoding].texel_bytes


def level_of(lux: Floats) -> float:
    """Lux that a full code stands for: the most there is, rounded up to two figures."""
    most = float(lux.max(initial=0.0))
    if most <= 0 or not math.isfinite(most):
        return 1.0
    step = 10.0 ** (math.floor(math.log10(most)) - 1)
    return math.ceil(most / step) * step


def written(lux: Floats, encoding: str, compressed: bool = False) -> tuple[bytes, str, float]:
    """A lightmap (H, W, 3) as a file, its kind, and the lux that a value of 1 stands for."""
    code, level = code_named(encoding, "the lightmaps"), level_of(lux)
    share = np.clip(lux / np.float32(level), 0, 1).astype(np.float32)
    kind = "ktx2" if compressed and code.blocks else code.kind
    return encode(np.ascontiguousarray(code.encode(share)), kind, code.color), kind, level


def direction_written(toward: Floats) -> bytes:
    """Directions (H, W, 3), at most 1 long, as an 8-bit PNG: a half of each and a half more."""
    return encode(
        np.ascontiguousarray(np.round((np.clip(toward, -1, 1) * 0.5 + 0.5) * 255).astype(np.uint8)), "png"
    )


def read(image: Image, encoding: str) -> Floats:
    """Values (H, W, 3) in [0, 1] of a lightmap's file, by the encoding that its destination has.

    Raises:
        Refused: the encoding is not known, or the file does not hold what it needs.
    """
    try:
        return code_named(encoding, image.name).decode(pixels(image))
    except ValueError as error:
        raise Refused(
            f"The lightmap is not stored as {encoding} ({error}).", image.name, "Write it again."
        ) from None
