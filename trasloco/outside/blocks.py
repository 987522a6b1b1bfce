"""Pixels taken together."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.scene.model import Doubles


def block_means(values: npt.NDArray[Any], side: int) -> Doubles:
    """Means (..., H // side, W // side, C) over blocks of pixels of values (..., H, W, C); what is left over at
    the right and below takes no part.
    """
    high, wide = values.shape[-3] // side, values.shape[-2] // side
    cut = values[..., : high * side, : wide * side, :].astype(np.float64)
    parted = cut.reshape(*cut.shape[:-3], high, side, wide, side, cut.shape[-1])
    return np.asarray(parted.mean(axis=(-4, -2)))
