"""Proof pictures as files: both sides through exposure and curve, the difference on the one measure ramp."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from trasloco.render.picture import Picture, displayed
from trasloco.scene.images import encode

PAPER, INK, MADDER = (243, 242, 239), (34, 36, 31), (154, 46, 64)
SCALE_TOP = 12.0
"""ΔE at which the ramp reaches ink."""
CONTOURS = (1.0, 2.3, 5.0)


def picture_png(picture: Picture, ev100: float) -> bytes:
    return encode(displayed(picture.radiance, ev100), "png")


def measure_ramp(values: npt.NDArray[np.float32], top: float = SCALE_TOP) -> npt.NDArray[np.uint8]:
    """(H, W) to (H, W, 3): paper at 0 to ink at ``top``."""
    share = np.clip(values / top, 0, 1)[..., None] ** 0.7
    return np.asarray(np.round(np.array(PAPER) * (1 - share) + np.array(INK) * share), np.uint8)


def difference_png(delta_e: npt.NDArray[np.float32]) -> bytes:
    """The ramp with madder lines where the smoothed difference crosses the verdict limit of what is seen when compared."""
    from scipy.ndimage import gaussian_filter

    picture = measure_ramp(delta_e)
    above = gaussian_filter(delta_e, 2.0) > CONTOURS[-1]
    edge = np.zeros_like(above)
    edge[:, 1:] |= above[:, 1:] != above[:, :-1]
    edge[1:] |= above[1:] != above[:-1]
    picture[edge] = MADDER
    return encode(picture, "png")
