"""What the camera did to a picture of a scene that is known: white point, contrast, colour fringes, focus and
f-stop.

A thin lens of diameter D that is focused at f shows a point at distance z as a disc of D F |1/f - 1/z| pixels
across, F the distance of the picture in pixels (Potmesil and Chakravarty 1981, far from the lens). A disc of
diameter d blurs like a Gaussian of standard deviation d / 4, by their second moments.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import ndimage
from scipy.optimize import minimize_scalar

from trasloco.outside.blocks import block_means
from trasloco.outside.light_match import Mask
from trasloco.scene.color import luminance
from trasloco.scene.model import Doubles, Floats

_BLOCK = 16
"""Pixels across a block that is blurred by one amount, and that has one fringe."""
_SMALL = 4
"""Pixels across a block that is as bright all over."""
_BLURS = (0.0, 0.4, 0.7, 1.0, 1.4, 2.0, 2.8, 4.0, 5.6, 8.0)
"""Blurs that are tried on a block, standard deviations in pixels."""
_FEWEST, _EDGE = 24, 0.15
"""Blocks that must say something, and the slope of the logarithm of light, a pixel, of an edge that does."""
_FOCUSES = 48
"""Distances that are tried, evenly by their inverse."""
_EXPLAINS = 0.6
"""What a lens may leave at most of the spread that one blur for all leaves."""
_SURE = 3.0
"""A number counts that lies so many standard deviations from none."""
_DARK = 1e-6
_SHARED = 10.0
"""Blocks beside one another share what does not fit: one of so many speaks for itself."""


@dataclass(frozen=True)
class Measure:
    """A number, its standard deviation, and whether it differs from what no camera would do."""

    value: float
    unsure: float
    told: bool


@dataclass(frozen=True)
class Focus:
    """What a lens is focused at in metres, how wide it is open in metres, and which share of the spread of
    blurs it leaves.
    """

    distance_m: float
    diameter_m: float
    left: float

    def f_stop(self, focal_m: float) -> float:
        return focal_m / self.diameter_m


@dataclass(frozen=True)
class Lens:
    """``white`` is what white became, (3,) of luminance one; ``contrast`` the power of light beyond one;
    ``red`` and ``blue`` by how much larger these are shown than green, as a share; ``focus`` is None where
    everything is as sharp.
    """

    white: tuple[float, float, float]
    tinted: bool
    contrast: Measure
    red: Measure
    blue: Measure
    focus: Focus | None


def lens_of(
    picture: Floats, light: Floats, where: Mask, depth: Doubles, yfov_rad: float, sound: Mask | None = None
) -> Lens:
    """What a camera did, by the light of a picture (H, W, 3) as it was taken and as it is meant, in one unit.

    Args:
        where: (H, W) pixels that count. depth: (H, W) distance along the view in metres, infinite where
            nothing is. sound: pixels that are neither black nor clipped; all of them without it.
    """
    held = where if sound is None else where & sound
    white, tinted = white_point(picture, light, held)
    plain = np.asarray(picture / np.array(white, np.float32), np.float32)
    return Lens(
        white,
        tinted,
        contrast(plain, light, held),
        fringe(picture, 0, held),
        fringe(picture, 2, held),
        focus_of(plain, light, held, depth, yfov_rad),
    )


def white_point(picture: Floats, light: Floats, where: Mask) -> tuple[tuple[float, float, float], bool]:
    """What white became, and whether that is another white: by the median over pixels of each channel."""
    lit = where & (light.min(axis=-1) > _DARK) & (picture.min(axis=-1) > _DARK)
    if lit.sum() < _FEWEST:
        return (1.0, 1.0, 1.0), False
    ratio = np.log(picture[lit] / light[lit])
    ratio -= ratio.mean(axis=1, keepdims=True)
    middle = np.median(ratio, axis=0)
    spread = 1.4826 * np.median(np.abs(ratio - middle), axis=0) / math.sqrt(_alone(lit))
    gain = np.exp(middle)
    r, g, b = (float(v) for v in gain / float(luminance(gain)))
    return (r, g, b), bool((np.abs(middle) > np.maximum(_SURE * spread, 0.01)).any())


def contrast(picture: Floats, light: Floats, where: Mask) -> Measure:
    """p where the picture's light goes with the scene's to the power of 1 + p: the slope of their logarithms
    over blocks, each standing for both (reduced major axis), for both have grain.
    """
    lit = where & (luminance(light) > _DARK) & (luminance(picture) > _DARK)
    x, y = (_block_means(np.log(np.maximum(luminance(one), _DARK)), lit) for one in (light, picture))
    if len(x) < _FEWEST or np.ptp(x) < 0.5:
        return Measure(0.0, 1.0, False)
    x, y = x - np.median(x), y - np.median(y)
    trust = np.ones_like(x)
    slope = 1.0
    for _ in range(12):
        vx, vy = float((trust * x * x).sum()), float((trust * y * y).sum())
        slope = math.sqrt(vy / max(vx, 1e-12))
        off = np.abs(y - slope * x)
        trust = np.minimum(1.0, 2 * 1.4826 * float(np.median(off)) / np.maximum(off, 1e-9))
    left = float((trust * (y - slope * x) ** 2).sum() / trust.sum())
    unsure = math.sqrt(_SHARED * left / max(float((trust * x * x).sum()), 1e-12))
    power = slope - 1
    return Measure(power, unsure, abs(power) > max(_SURE * unsure, 0.02))


def fringe(picture: Floats, channel: int, where: Mask) -> Measure:
    """By which share a channel (0 red, 2 blue) is shown larger than green, about the middle: along edges,
    how far one is shifted outwards against the other, over how far out it is.
    """
    height, width = picture.shape[:2]
    green, other = (
        ndimage.gaussian_filter(np.log(np.maximum(picture[..., k], 1e-4)), 0.8) for k in (1, channel)
    )
    slopes = np.gradient(green)
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    y, x = y - (height - 1) / 2, x - (width - 1) / 2
    # A channel that is shown 1 + s times as large has at a place what lay 1 / (1 + s) as far out.
    outward = -(slopes[0] * y + slopes[1] * x)
    edge = where & (np.abs(outward) > _EDGE * np.hypot(x, y)) & (np.hypot(x, y) > 0.1 * width)
    found, weight = [], []
    for rows, columns in _blocks(height, width):
        on = edge[rows, columns]
        if on.sum() < _BLOCK:
            continue
        g, o, a = (one[rows, columns][on] for one in (green, other, outward))
        design = np.stack([g - g.mean(), a - a.mean()])
        normal = design @ design.T
        if np.linalg.cond(normal) > 1e6:
            continue
        size, shift = np.linalg.solve(normal, design @ (o - o.mean()))
        if size > 0.3:
            found.append(shift / size)
            weight.append(float((a * a).sum()))
    if len(found) < _FEWEST:
        return Measure(0.0, 1.0, False)
    values, weights = np.array(found), np.sqrt(np.array(weight))
    middle = _median(values, weights)
    unsure = 1.4826 * _median(np.abs(values - middle), weights) * 1.25 / math.sqrt(len(values))
    return Measure(middle, unsure, abs(middle) > max(_SURE * unsure, 2e-4))


def focus_of(picture: Floats, light: Floats, where: Mask, depth: Doubles, yfov_rad: float) -> Focus | None:
    """The lens that blurs blocks as they are blurred against the scene as it is meant, by their distance."""
    found = _blurs(picture, light, where & np.isfinite(depth), depth)
    if found is None:
        return None
    far, blur, weight = found
    if np.ptp(1 / far) < 0.02 * float((1 / far).max()):
        return None
    mean = float((weight * blur).sum() / weight.sum())
    spread = float((weight * (blur - mean) ** 2).sum())

    def fitted(focus: float) -> tuple[float, float, float]:
        """What is left, the slope, and the blur that everything has."""
        apart = np.abs(1 / far - focus)
        slope, least = mean / max(float(apart.mean()), 1e-9), 0.5 * mean + 0.05
        for _ in range(8):  # Gauss and Newton: blur and what everything has add as squares
            made = np.hypot(slope * apart, least)
            design = np.stack([slope * apart**2, np.full_like(made, least)]) / made * np.sqrt(weight)
            step, *_ = np.linalg.lstsq(design.T, (blur - made) * np.sqrt(weight), rcond=None)
            slope, least = max(slope + float(step[0]), 0.0), max(least + float(step[1]), 0.05)
        return float((weight * (blur - np.hypot(slope * apart, least)) ** 2).sum()), slope, least

    near, end = float((1 / far).max()) * 1.2, float((1 / far).min()) * 0.8
    grid = np.linspace(end, near, _FOCUSES)
    best = int(np.argmin([fitted(focus)[0] for focus in grid]))
    bounds = (grid[max(best - 1, 0)], grid[min(best + 1, len(grid) - 1)])
    focus = float(minimize_scalar(lambda f: fitted(f)[0], bounds=bounds, method="bounded").x)
    left, slope, _ = fitted(focus)
    if slope <= 0 or focus <= 0 or left > _EXPLAINS * spread:
        return None
    pixels = picture.shape[0] / 2 / math.tan(yfov_rad / 2)
    return Focus(1 / focus, 4 * slope / pixels, left / max(spread, 1e-12))


def _blurs(
    picture: Floats, light: Floats, where: Mask, depth: Doubles
) -> tuple[Doubles, Doubles, Doubles] | None:
    """Distance, blur in pixels and weight of blocks (N,) that say how much they are blurred; None where too
    few do.
    """
    mine = np.log(np.maximum(luminance(picture), 1e-4))
    sharp = np.maximum(luminance(light), 1e-4)
    height, width = mine.shape
    blurred = [np.log(np.maximum(ndimage.gaussian_filter(sharp, s) if s else sharp, 1e-4)) for s in _BLURS]
    far, blur, weight = [], [], []
    for rows, columns in _blocks(height, width):
        on = where[rows, columns]
        if not on.all():
            continue
        there = depth[rows, columns]
        if np.ptp(there) > 0.15 * float(there.mean()):
            continue
        seen = mine[rows, columns] - mine[rows, columns].mean()
        looks = [one[rows, columns] - one[rows, columns].mean() for one in blurred]
        detail = float((looks[0] ** 2).mean())
        lost = float(((looks[0] - looks[-1]) ** 2).mean())
        if detail < 0.01**2 or lost < 0.25 * detail:
            continue
        off = np.array([_unlike(seen, one) for one in looks])
        at = int(np.argmin(off))
        if at == len(_BLURS) - 1:
            continue
        far.append(float(np.median(there)))
        blur.append(_between(_BLURS, off, at))
        weight.append(lost / (lost + float(off[at])))
    if len(far) < _FEWEST:
        return None
    return np.array(far), np.array(blur), np.array(weight)


def _unlike(seen: npt.NDArray[np.floating], look: npt.NDArray[np.floating]) -> float:
    """What is left of a block when another, as strong as fits best, is taken away; mean square."""
    size = float((seen * look).sum() / max(float((look * look).sum()), 1e-12))
    return float(((seen - size * look) ** 2).mean())


def _between(steps: Sequence[float], values: Doubles, at: int) -> float:
    """Where a parabola through the least of some values and its neighbours is least."""
    if at in (0, len(steps) - 1):
        return float(steps[at])
    x, y = np.array(steps[at - 1 : at + 2]), values[at - 1 : at + 2]
    bend, slope, _ = np.polyfit(x, y, 2)
    return float(np.clip(-slope / (2 * bend), x[0], x[-1])) if bend > 0 else float(steps[at])


def _blocks(height: int, width: int) -> list[tuple[slice, slice]]:
    return [
        (slice(y, y + _BLOCK), slice(x, x + _BLOCK))
        for y in range(0, height - _BLOCK + 1, _BLOCK)
        for x in range(0, width - _BLOCK + 1, _BLOCK)
    ]


def _block_means(values: npt.NDArray[np.floating], where: Mask) -> Doubles:
    """Means (N,) over small blocks of which all counts."""
    both = block_means(np.stack([values, where], axis=-1), _SMALL)
    return np.asarray(both[..., 0][both[..., 1] == 1])


def _median(values: Doubles, weights: Doubles) -> float:
    order = np.argsort(values)
    sums = np.cumsum(weights[order])
    return float(values[order][int(np.searchsorted(sums, sums[-1] / 2))])


def _alone(where: Mask) -> float:
    """How many pixels speak for themselves: their neighbours share what does not fit."""
    return max(float(where.sum()) / 100, 1.0)
