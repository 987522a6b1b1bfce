"""From light as the paths found it to lightmaps: what lies inside of something filled from beside it, noise
taken out, borders spread, seams stitched.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.light.lightmaps.bake_wish import Wish
from trasloco.light.lightmaps.baking import Gathered
from trasloco.light.lightmaps.layout import Laid
from trasloco.light.lightmaps.smoothing import OF_HALVES, Neighbourhood, smoothed
from trasloco.light.lightmaps.stitching import Seams, stitched
from trasloco.light.lightmaps.texels import places_under
from trasloco.render.arrays import FlatScene
from trasloco.render.picture import Quality
from trasloco.scene.covering import padded

Floats = npt.NDArray[np.float32]
LEAST_COUNTED = 0.25
"""Share of a texel's paths that must have started in the open; below it the texel lies inside of something
and takes the light of its nearest neighbour.
"""


def sound(found: Gathered) -> npt.NDArray[np.bool_]:
    """Texels (H, W) whose light can be used."""
    return found.covered.touched & (found.counted >= max(LEAST_COUNTED * found.samples, 1))


_AROUND = 5


def error_of_halves(found: Gathered, valid: npt.NDArray[np.bool_]) -> Floats:
    """Standard error (H, W) of the light as it was found, in lux, by the difference of its two halves over a
    neighbourhood.
    """
    from scipy.ndimage import uniform_filter

    weight = np.maximum(uniform_filter(valid.astype(np.float32), _AROUND), 1e-6)
    apart = uniform_filter(np.where(valid, found.error, 0).astype(np.float32), _AROUND) / weight
    # For two halves, the mean of half their absolute difference is sqrt(2 / pi) standard errors of the mean.
    return np.asarray(apart / math.sqrt(2 / math.pi) * OF_HALVES, np.float32)


_EVEN_DIRECTIONS = 4.0
"""Texels over which directions are evened out."""


@dataclass(frozen=True)
class Surface:
    """Where the texels of a lightmap lie in space: ``known`` (H, W) which of them, their ``normal`` (H, W,
    3), and who is near whom among those.
    """

    known: npt.NDArray[np.bool_]
    normal: npt.NDArray[np.float64]
    around: Neighbourhood | None


def surface_under(laid: Laid, flat: FlatScene, found: Gathered, threads: int) -> Surface:
    """The surface under the texels whose light can be used."""
    place, normal = places_under(flat, found.covered)
    known = sound(found) & np.isfinite(place[..., 0])
    if not known.any():
        return Surface(known, normal, None)
    side = 1 / np.array([laid.density.get(id, 1.0) for id in flat.part_ids])[found.covered.part[known]]
    return Surface(
        known, normal, Neighbourhood(place[known], normal[known], side, Quality(threads=threads).workers)
    )


def without_noise(found: Gathered, surface: Surface) -> tuple[Floats, Floats]:
    """Light (H, W, 3) with the noise taken out where its surface is known, and the standard error (H, W) that
    is left, in lux.
    """
    lux, error, known = found.lux.copy(), error_of_halves(found, sound(found)), surface.known
    if surface.around is not None:
        straight = found.straight[known].astype(np.float64)
        made, left = smoothed(
            surface.around, found.even[known] - straight, found.odd[known] - straight, straight
        )
        lux[known], error[known] = made + straight, left
    return lux, error


@dataclass(frozen=True)
class Finished:
    """Lightmaps ready to be written.

    ``lux`` (H, W, 3) each; ``error`` (H, W) its standard error; ``toward`` (H, W, 3) where light comes from,
    as long as its share.
    """

    lux: tuple[Floats, ...]
    error: tuple[Floats, ...]
    toward: tuple[Floats, ...] = ()


def one_direction(toward: Floats, normal: npt.NDArray[np.float64]) -> Floats:
    """Light as a share from one direction and the rest evenly from the half space: directions (..., 3) as
    long as that share.

    ``toward`` (..., 3) is the mean direction of light weighed by its illuminance: 2/3 along the normal where
    it is even. With a share k from d,
    toward = (1 - k) 2/3 n + k d and |d| = 1 give 5/9 k^2 - 2 k (v.a) - |v|^2 = 0 for a = 2/3 n and v = toward
    - a.
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
    maps, errors, toward = [], [], []
    for found in gathered:
        surface = surface_under(laid, flat, found, wish.threads) if wish.denoised or wish.directed else None
        lux, error = (
            without_noise(found, surface)
            if wish.denoised and surface is not None
            else (found.lux, error_of_halves(found, sound(found)))
        )
        maps.append(padded(lux, sound(found)))
        errors.append(error)
        if wish.directed and surface is not None:
            toward.append(_toward(found, surface, wish.denoised))
    return Finished(
        tuple(stitched(seams, maps, laid.sizes) if wish.stitched else maps), tuple(errors), tuple(toward)
    )


def _toward(found: Gathered, surface: Surface, even: bool) -> Floats:
    """Where the light of each texel comes from (H, W, 3), its noise evened out where that is wished, borders
    spread.
    """
    mean, known = found.toward.copy(), surface.known
    if even and surface.around is not None:
        # Regression is of light, which is never negative: directions are moved above zero for it.
        mean[known] = surface.around.fitted(mean[known].astype(np.float64) + 1.0, _EVEN_DIRECTIONS) - 1.0
    return padded(
        np.where(known[..., None], one_direction(mean, np.nan_to_num(surface.normal)), 0).astype(np.float32),
        known,
    )
