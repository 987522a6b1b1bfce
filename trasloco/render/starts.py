"""Where paths start when they do not start at a camera: on the surface under the texels of an image."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np


class Texels(NamedTuple):
    """Surface under the texels of an image (H, W).

    ``spans`` (H * W + 1,): first row of each texel in ``rows``, which number ``triangles`` (R,) of the flat
    scene and their ``corners`` (R, 3, 2), in texels.
    """

    spans: Any
    rows: Any
    triangles: Any
    corners: Any


NO_TEXELS = Texels(
    np.zeros(1, np.int64), np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros((0, 3, 2), np.float64)
)
"""For pictures."""
BACKS, EVEN, ODD, FROM = (np.int64(k) for k in range(4))
"""What is noted of the samples of a texel in place of the guides of a pixel: how many saw the back of
something solid, how many count among the even and odd ones, and from here on three numbers: directions that
light came from, each by its luminance.
"""
