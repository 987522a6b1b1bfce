"""Light as half floats."""

from __future__ import annotations

from trasloco.light_codes.code import LightCode, unit
from trasloco.scene.resolve import color_of

CODE = LightCode(
    "half float",
    "As half floats, in EXR",
    "16 16 16",
    8,
    "exr",
    color=False,
    blocks=False,
    encode=lambda share: share,
    decode=lambda texels: unit(color_of(texels)),
)
