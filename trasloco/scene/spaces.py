"""Colour brought from another colour space to linear Rec.709, by OpenColorIO's own built-in configuration."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
import OpenImageIO as oiio

from trasloco.errors import Refused

LINEAR = "Linear Rec.709 (sRGB)"
SPACES = {
    "srgb": "sRGB Encoded Rec.709 (sRGB)",
    "linear": LINEAR,
    "gamma_22": "Gamma 2.2 Encoded Rec.709",
    "display_p3": "sRGB Encoded P3-D65",
    "linear_p3": "Linear P3-D65",
    "rec2020": "Linear Rec.2020",
    "acescg": "ACEScg",
    "aces2065_1": "ACES2065-1",
}
"""Spaces a decision may name, and what the configuration calls them."""


def to_linear(values: npt.NDArray[Any], space: str) -> npt.NDArray[np.float32]:
    """Encoded colour (H, W, 3) of a space as linear Rec.709; values outside the gamut come out below 0 or
    above 1.

    Raises:
        Refused: the space is not known.
    """
    if space not in SPACES:
        raise Refused(
            f"There is no colour space called {space}.",
            "colour space",
            f"Choose one of: {', '.join(SPACES)}.",
        )
    source = oiio.ImageBuf(np.ascontiguousarray(values, np.float32))
    made = oiio.ImageBufAlgo.colorconvert(source, SPACES[space], LINEAR, False, "", "", "ocio://default")
    if made.has_error:
        raise Refused(f"The colour space cannot be converted ({made.geterror()}).", space, "Choose another.")
    return np.asarray(made.get_pixels(oiio.FLOAT), np.float32).reshape(values.shape)
