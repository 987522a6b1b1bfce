"""Colour temperature: the colour of a black body, by the cubic approximation of the Planckian locus of Kim et
al. (2002), 1667 to 25000 K.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from trasloco.scene.color import LUMINANCE

LEAST_K, MOST_K = 1667.0, 25_000.0
REC709_OF_XYZ = np.array([[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]])
"""CIE XYZ to linear Rec.709 (IEC 61966-2-1)."""


def chromaticity(kelvin: float) -> tuple[float, float]:
    """CIE 1931 x, y; temperatures beyond the range are taken to its end."""
    t = min(max(kelvin, LEAST_K), MOST_K)
    x = (
        -0.2661239e9 / t**3 - 0.2343589e6 / t**2 + 0.8776956e3 / t + 0.179910
        if t <= 4000
        else -3.0258469e9 / t**3 + 2.1070379e6 / t**2 + 0.2226347e3 / t + 0.240390
    )
    if t <= 2222:
        y = -1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683
    elif t <= 4000:
        y = -0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867
    else:
        y = 3.0817580 * x**3 - 5.87338670 * x**2 + 3.75112997 * x - 0.37001483
    return x, y


def color_of_kelvin(kelvin: float) -> npt.NDArray[np.float64]:
    """Linear Rec.709 (3,) with a luminance of 1; what lies outside of the gamut is cut to it."""
    x, y = chromaticity(kelvin)
    xyz = np.array([x / y, 1.0, (1 - x - y) / y])
    rgb = np.maximum(REC709_OF_XYZ @ xyz, 0)
    return np.asarray(rgb / (rgb @ np.array(LUMINANCE)), np.float64)
