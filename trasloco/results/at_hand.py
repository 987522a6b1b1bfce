"""What a process loads beforehand, so that nobody waits for it with the first picture."""

from __future__ import annotations

import flip_evaluator
import numpy as np
import skimage.metrics

from trasloco.render.denoise import denoised
from trasloco.render.picture import Picture
from trasloco.results.natives import LOADED as LOADED
from trasloco.scene.images import encode, identify, pixels
from trasloco.warm import drawn, is_compiled


def have_at_hand() -> None:
    """Load kernels, where they are compiled, and the libraries that decode, denoise and compare."""
    if is_compiled():
        drawn()
    small = np.zeros((16, 16, 3), np.float32)
    denoised(Picture(small, small, np.zeros((16, 16, 2), np.int32), 2, 0, np.zeros((16, 16, 6), np.float32)))
    flip_evaluator.evaluate(small, small, "LDR", applyMagma=False)
    skimage.metrics.structural_similarity(small[..., 0], small[..., 0], data_range=1.0)
    pixels(identify("warm", "warm", "warm.png", encode(np.zeros((8, 8, 3), np.uint8), "png")))
