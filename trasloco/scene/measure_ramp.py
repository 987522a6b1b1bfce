"""The one ramp for all measured maps: paper where there is nothing, ink at the top, madder lines at a limit."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

PAPER, INK, MADDER = (243, 242, 239), (34, 36, 31), (154, 46, 64)
SCALE_TOP = 12.0
"""ΔE at which the ramp reaches ink."""


def measure_ramp(values: npt.NDArray[np.float32], top: float = SCALE_TOP) -> npt.NDArray[np.uint8]:
    """(H, W) to (H, W, 3): paper at 0 to ink at ``top``."""
    share = np.clip(values / top, 0, 1)[..., None] ** 0.7
    return np.asarray(np.round(np.array(PAPER) * (1 - share) + np.array(INK) * share), np.uint8)


def edges_of(mask: npt.NDArray[Any]) -> npt.NDArray[np.bool_]:
    """Texels (H, W) whose neighbour above or to the left has another value."""
    edge = np.zeros(mask.shape, bool)
    edge[:, 1:] |= mask[:, 1:] != mask[:, :-1]
    edge[1:] |= mask[1:] != mask[:-1]
    return edge


def hatched(picture: npt.NDArray[np.uint8], where: npt.NDArray[np.bool_]) -> npt.NDArray[np.uint8]:
    """A picture (H, W, 3) hatched in madder on paper where something cannot be told."""
    rows, columns = np.indices(where.shape)
    stripe = (rows + columns) % 6 < 2
    made = picture.copy()
    made[where] = PAPER
    made[where & stripe] = MADDER
    return made
