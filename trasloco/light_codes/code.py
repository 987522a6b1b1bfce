"""What an encoding of light is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.scene.texels_held import Pixels

Floats = npt.NDArray[np.float32]


@dataclass(frozen=True)
class LightCode:
    """How shares of the brightest light, (H, W, 3) in [0, 1], are kept in an image.

    Attributes:
        name: as sheets and packages call it. words: what it is, for the sheet. sign: bits of its channels.
        texel_bytes: in the destination's memory. kind: of its file, ``png`` or ``exr``.
        color: whether its texels are colour by the sRGB curve.
        blocks: whether its texels may be compressed in blocks.
        encode: shares to texels. decode: texels as read back to shares.
    """

    name: str
    words: str
    sign: str
    texel_bytes: int
    kind: str
    color: bool
    blocks: bool
    encode: Callable[[Floats], Pixels]
    decode: Callable[[Pixels], Floats]


def unit(texels: Pixels) -> Floats:
    """Codes as values in [0, 1]; floating texels are cut to it."""
    if texels.dtype == np.float32:
        return np.clip(texels, 0, 1)
    return np.asarray(texels.astype(np.float32) / np.float32(np.iinfo(texels.dtype).max), np.float32)
