"""A scene's light as a camera shows it whose lens and white are known: what was told of a picture, done to
what is rendered, so that it can be held against the picture.
"""

from __future__ import annotations

import math

import numpy as np
from scipy import ndimage

from trasloco.outside.lens import Focus, Lens
from trasloco.proof.effects import powered
from trasloco.scene.color import luminance
from trasloco.scene.model import Doubles, Floats

_BLURS = (0.0, 0.5, 1.0, 2.0, 4.0, 8.0, 16.0)
"""Standard deviations in pixels between which blurred pictures are mixed."""


def developed(light: Floats, lens: Lens, depth: Doubles, yfov_rad: float) -> Floats:
    """Light (H, W, 3) as it is meant, in the unit of the picture, after everything that a lens is told to do:
    blurred by distance, its red and blue enlarged, its contrast and its white.

    Args:
        depth: (H, W) distance along the view in metres, infinite where nothing is.
    """
    made = light if lens.focus is None else _blurred(light, lens.focus, depth, yfov_rad)
    sizes = [1 + one.value if one.told else 1.0 for one in (lens.red, lens.blue)]
    made = np.stack(
        [_enlarged(made[..., k], size) for k, size in enumerate((sizes[0], 1.0, sizes[1]))], axis=-1
    )
    if lens.contrast.told:
        made = powered(made, float(np.median(np.maximum(luminance(made), 1e-6))), lens.contrast.value)
    return np.asarray(made * np.array(lens.white if lens.tinted else (1, 1, 1), np.float32), np.float32)


def _enlarged(channel: Floats, size: float) -> Floats:
    """A channel (H, W) so many times as large about the middle."""
    if size == 1:
        return channel
    middle = (np.array(channel.shape) - 1) / 2
    return np.asarray(
        ndimage.affine_transform(channel, np.eye(2) / size, middle - middle / size, order=3, mode="nearest"),
        np.float32,
    )


def _blurred(light: Floats, focus: Focus, depth: Doubles, yfov_rad: float) -> Floats:
    """By a thin lens: each pixel mixed from pictures that are blurred all over, by its own distance."""
    pixels = light.shape[0] / 2 / math.tan(yfov_rad / 2)
    with np.errstate(divide="ignore"):
        apart = np.abs(1 / np.maximum(depth, 1e-9) - 1 / focus.distance_m)
    wide = np.clip(focus.diameter_m * pixels * apart / 4, _BLURS[0], _BLURS[-1])
    # Mixed so that second moments are right: those of Gaussians add up.
    at = np.interp(wide**2, np.square(_BLURS), np.arange(len(_BLURS)))
    made = np.zeros_like(light)
    for k, sigma in enumerate(_BLURS):
        share = np.maximum(1 - np.abs(at - k), 0)[..., None].astype(np.float32)
        if share.any():
            made += share * (ndimage.gaussian_filter(light, (sigma, sigma, 0)) if sigma else light)
    return made
