"""From light as the paths found it to lightmaps: what lies inside of something filled from beside it, noise taken out, borders spread, seams stitched."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from trasloco.light.lightmaps.baking import Gathered
from trasloco.light.lightmaps.layout import Laid
from trasloco.light.lightmaps.stitching import Seams, stitched
from trasloco.light.lightmaps.wishes import Wish
from trasloco.render.denoise import available
from trasloco.scene.covering import padded

Floats = npt.NDArray[np.float32]
LEAST_COUNTED = 0.25
"""Share of a texel's paths that must have started in the open; below it the texel lies inside of something and takes the light of its nearest neighbour."""


def sound(found: Gathered) -> npt.NDArray[np.bool_]:
    """Texels (H, W) whose light can be used."""
    return found.covered.touched & (found.counted >= max(LEAST_COUNTED * found.samples, 1))


def without_noise(lux: Floats) -> Floats:
    """The lightmap filter of the denoiser; the light as it is where there is none."""
    if not available():
        return lux
    import pyoidn

    made = pyoidn.denoise(np.ascontiguousarray(np.maximum(lux, 0), np.float32), hdr=True, filter_type="RTLightmap")
    return np.asarray(np.maximum(made, 0), np.float32)


def finished(laid: Laid, gathered: Sequence[Gathered], wish: Wish, seams: Seams) -> list[Floats]:
    """Illuminance (H, W, 3) in lux at every texel of every lightmap."""
    maps = []
    for found in gathered:
        valid = sound(found)
        lux = padded(found.lux, valid)
        if wish.denoised:
            lux = padded(without_noise(lux), valid)
        maps.append(lux)
    return stitched(seams, maps, laid.sizes) if wish.stitched else maps
