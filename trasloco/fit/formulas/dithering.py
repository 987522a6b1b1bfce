"""Fewer bits without steps."""

from __future__ import annotations

import numpy as np

from trasloco.scene.images import unit_floats
from trasloco.scene.texels_held import Pixels

_PLASTIC = 1.32471795724474602596
"""The real root of x^3 = x + 1."""


def threshold_field(height: int, width: int) -> np.ndarray:
    """Thresholds (H, W) in [0, 1) that fill every neighbourhood evenly: the fractional part of x / p + y /
    p^2 with the plastic number p, the additive recurrence of Roberts 2018 over the plane.
    """
    x, y = np.arange(width, dtype=np.float64) / _PLASTIC, np.arange(height, dtype=np.float64) / _PLASTIC**2
    return np.asarray((x[None, :] + y[:, None]) % 1.0, np.float32)


def dithered(values: Pixels) -> Pixels:
    """16-bit or floating texels as 8-bit codes whose mean over any neighbourhood is the source's: floor(v +
    t) with an even field of thresholds t.

    Each texel is less than one code off; a texel that is a code exactly stays it (its fractional part is 0).
    """
    scaled = np.asarray(np.clip(unit_floats(values), 0, 1) * np.float32(255), np.float32)
    whole = np.round(scaled)
    scaled = np.where(np.abs(scaled - whole) < 1e-3, whole, scaled)
    field = threshold_field(*values.shape[:2])
    return (
        np.asarray(np.floor(scaled + (field[..., None] if values.ndim == 3 else field)), np.uint8)
        .clip(0, 255)
        .astype(np.uint8)
    )
