"""What a solid scatters within, as a surface: how much of it looks dull, and in which colour."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Doubles = npt.NDArray[np.float64]


def scattered_share(scatter: Doubles, mean_cosine: Doubles, depths: Doubles) -> Doubles:
    """Share of light (..., 3) that a solid turns on its way through ``depths`` of its transmission depth:
    1 - e^(-s (1 - g) d), what goes on as it was not counted (similarity of scattering).
    """
    return np.asarray(1 - np.exp(-scatter * (1 - mean_cosine) * depths))


def deep_albedo(scatter: Doubles, left: Doubles, mean_cosine: Doubles) -> Doubles:
    """What a deep body sends back of even light (..., 3), of what it scatters within one depth and the colour
    that is left after it (van de Hulst's fit for a half space, as in OpenPBR Surface 1.1, subsurface).
    """
    taken = np.maximum(-np.log(np.maximum(left, 1e-6)), np.maximum(scatter, 1e-9))
    albedo = np.minimum(scatter / taken, 0.9999)
    s = np.sqrt((1 - albedo) / (1 - albedo * mean_cosine))
    return np.asarray((1 - s) * (1 - 0.139 * s) / (1 + 1.17 * s))
