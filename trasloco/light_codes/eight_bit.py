"""Light as 8 bits a channel by the sRGB curve (IEC 61966-2-1)."""

from __future__ import annotations

import numpy as np

from trasloco.light_codes.code import Floats, LightCode, unit
from trasloco.scene.color import linear_to_srgb, srgb_to_linear
from trasloco.scene.resolve import color_of
from trasloco.scene.texels_held import Pixels


def encoded(share: Floats) -> Pixels:
    return np.round(linear_to_srgb(share) * 255).astype(np.uint8)


def decoded(texels: Pixels) -> Floats:
    values = color_of(texels)
    # Floating texels are light as it is.
    return (
        unit(values) if values.dtype == np.float32 else np.asarray(srgb_to_linear(unit(values)), np.float32)
    )


CODE = LightCode(
    "8 bit",
    "As 8 bits a channel, sRGB",
    "8 8 8",
    4,
    "png",
    color=True,
    blocks=True,
    encode=encoded,
    decode=decoded,
)
