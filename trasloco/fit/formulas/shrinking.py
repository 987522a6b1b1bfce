"""What shrinking an image must not lose: the sparkle of lost normal detail, the area of a cut-out, the colour
at its border.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.fit.formulas.resampling import averaged
from trasloco.fit.formulas.tilting import slopes

Floats = npt.NDArray[np.float32]


def slope_variance(normals: npt.NDArray[Any], width: int, height: int) -> Floats:
    """Variance of the slopes that each texel of a smaller image stands for, both directions added, (height,
    width).

    LEAN mapping (Olano and Baker 2010): first and second moments of the slopes are averaged over the
    footprint, E[s^2] - E[s]^2. The
    footprint is the box of source texels a target texel covers.
    """
    total = np.zeros((height, width), np.float64)
    for slope in slopes(normals):
        mean = averaged(slope, width, height)
        total += np.maximum(averaged(slope * slope, width, height) - mean * mean, 0)
    return total.astype(np.float32)


def widened(roughness: npt.NDArray[Any], variance: npt.NDArray[Any]) -> Floats:
    """Roughness (H, W) in [0, 1] with the variance of lost slopes folded in: alpha'^2 = alpha^2 + var_u +
    var_v, alpha = roughness^2.

    LEAN mapping adds covariances; a Beckmann lobe of width alpha has slope variance alpha^2 / 2 in each
    direction (Walter et al. 2007), so
    the two directions together add var_u + var_v to alpha^2. GGX takes the same alpha.
    """
    alpha = np.square(np.asarray(roughness, np.float64)) ** 2 + variance
    return np.asarray(np.clip(alpha**0.25, 0, 1), np.float32)


def coverage(alpha: npt.NDArray[Any], cutoff: float) -> float:
    """Share of texels that are kept by a cut: those at or above it."""
    return float((np.asarray(alpha) >= cutoff).mean())


def keeping_coverage(alpha: npt.NDArray[Any], cutoff: float, share: float) -> Floats:
    """Alpha (H, W) scaled so that a cut at ``cutoff`` keeps a given share of it (Castaño 2010, "Computing
    alpha mipmaps").

    The factor is found exactly: of all edges between two neighbouring values, the one above which the share
    comes nearest the wanted is
    brought to the cut. Values that are all alike cannot be parted and come back unchanged.
    """
    values = np.asarray(alpha, np.float32)
    levels, counts = np.unique(values, return_counts=True)
    if len(levels) < 2:
        return values
    above = 1 - np.cumsum(counts)[:-1] / values.size
    place = int(np.argmin(np.abs(above - share)))
    edge = (float(levels[place]) + float(levels[place + 1])) / 2
    return np.asarray(np.clip(values * np.float32(cutoff / edge), 0, 1), np.float32)
