"""From light as the paths found it to lightmaps: what lies inside of something filled from beside it, noise taken out, borders spread, seams stitched."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.ndimage import uniform_filter

from trasloco.light.lightmaps.baking import Gathered
from trasloco.light.lightmaps.layout import Laid
from trasloco.light.lightmaps.stitching import Seams, stitched
from trasloco.light.lightmaps.texels import places_under
from trasloco.light.lightmaps.wishes import Wish
from trasloco.render.denoise import available
from trasloco.render.flatten import FlatScene
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


_AROUND = 5
OF_HALVES = 0.7
"""Error of a mean against what its two halves suggest: points that fill space evenly do so better as a whole. Measured at 64 paths on the demo's stage."""
TRUST = 0.15
"""Of the noise that is taken as reason to believe the filter. Measured there too: more of it costs more detail than it takes noise, where charts are few texels wide."""


def filter_share(found: Gathered, before: Floats, after: Floats, valid: npt.NDArray[np.bool_]) -> Floats:
    """How far to trust the filter at each texel (H, W), from 0 to 1: by the noise there against what it changed.

    Noise is the spread of the two halves, change the filter's, both squared and averaged over a neighbourhood: what the filter moves beyond the noise is detail it lost.
    """
    if not valid.any():
        return np.zeros(valid.shape, np.float32)
    middle = max(float(np.median(before[valid])), 1e-9)

    def seen(lux: Floats) -> Floats:
        """Bright light bent down, as a tone curve does, so that dark places count as they are seen."""
        return np.asarray(lux / (lux + middle), np.float32)

    weight = np.maximum(uniform_filter(valid.astype(np.float32), _AROUND), 1e-6)
    # A quarter of the squared difference of two halves is the squared error of their mean.
    noise = uniform_filter(np.where(valid, ((seen(found.even) - seen(found.odd)) ** 2).sum(axis=-1) / 4, 0), _AROUND) / weight
    change = uniform_filter(np.where(valid, ((seen(after) - seen(before)) ** 2).sum(axis=-1), 0), _AROUND) / weight
    return np.asarray(np.clip(TRUST * noise / np.maximum(change, 1e-12), 0, 1), np.float32)


@dataclass(frozen=True)
class Finished:
    """Lightmaps ready to be written. ``lux`` (H, W, 3) each; ``filtered`` (H, W) how much of each texel is the filter's; ``toward`` (H, W, 3) where light comes from, as long as its share."""

    lux: tuple[Floats, ...]
    filtered: tuple[Floats, ...]
    toward: tuple[Floats, ...] = ()


def one_direction(toward: Floats, normal: npt.NDArray[np.float64]) -> Floats:
    """Light as a share from one direction and the rest evenly from the half space: directions (..., 3) as long as that share.

    ``toward`` (..., 3) is the mean direction of light weighed by its illuminance: 2/3 along the normal where it is even. With a share k from d,
    toward = (1 - k) 2/3 n + k d and |d| = 1 give 5/9 k^2 - 2 k (v.a) - |v|^2 = 0 for a = 2/3 n and v = toward - a.
    """
    even = normal * (2 / 3)
    v = toward - even
    along, squared = (v * even).sum(axis=-1), (v * v).sum(axis=-1)
    share = (along + np.sqrt(along**2 + 5 / 9 * squared)) / (5 / 9)
    direction = v + share[..., None] * even
    length = np.linalg.norm(direction, axis=-1)
    unit = direction / np.maximum(length, 1e-9)[..., None]
    return np.asarray(unit * np.clip(share, 0, 1)[..., None], np.float32)


def finished(laid: Laid, flat: FlatScene, gathered: Sequence[Gathered], wish: Wish, seams: Seams) -> Finished:
    """Illuminance in lux at every texel of every lightmap, and where it comes from if that is wished."""
    maps, shares = [], []
    for found in gathered:
        valid = sound(found)
        lux = padded(found.lux, valid)
        share = np.zeros(lux.shape[:2], np.float32)
        if wish.denoised and available():
            after = without_noise(lux)
            share = filter_share(found, lux, after, valid)
            lux = padded(np.asarray(lux + share[..., None] * (after - lux), np.float32), valid)
        maps.append(lux)
        shares.append(share)
    return Finished(tuple(stitched(seams, maps, laid.sizes) if wish.stitched else maps), tuple(shares), tuple(_toward(flat, found) for found in gathered) if wish.directed else ())


def _toward(flat: FlatScene, found: Gathered) -> Floats:
    """Where the light of each texel comes from (H, W, 3), borders spread."""
    _, normal = places_under(flat, found.covered)
    known = sound(found) & np.isfinite(normal[..., 0])
    return padded(np.where(known[..., None], one_direction(found.toward, np.nan_to_num(normal)), 0).astype(np.float32), known)
