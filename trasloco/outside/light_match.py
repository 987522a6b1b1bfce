"""Light matched to a picture: how strong each lamp and the surroundings must be for the scene to look like
it.

Light adds up, so a picture's light is a sum of layers, each lamp alone, with weights that are not negative:
non-negative least squares (Lawson and Hanson 1974), weighted by what a difference of light makes on screen,
robust by Huber's weights (1964). The layers are rendered and have noise of their own, which makes every
weight too small where it is not seen to; sums of squares are therefore taken between two independent halves
of their samples.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.outside.blocks import block_means
from trasloco.outside.nonnegative import weights_of
from trasloco.outside.showing import CURVES, Shown, best_shown, difference, displayed_by, undisplayed
from trasloco.scene.color import linear_to_srgb, luminance

Floats = npt.NDArray[np.float32]
Doubles = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]
BLOCK = 4
"""Pixels are taken together by so many: what lies a little beside its place does less harm."""
_ROUNDS, _HUBER = 16, 3.5
_LEAST_CODE, _MOST_CODE = 0.02, 0.985
"""sRGB values between which a picture says how much light there was."""
ALIKE = 0.985
"""From this correlation on, two layers light alike: their sum is known, not each."""
_LEAST_SHARE, _FEWEST = 1e-4, 40
SEEN, UNSURE, _LEAST_UNSURE = 0.25, 0.25, 0.02
"""A lamp of whose light less is seen, or whose strength is less sure than this share of it, and than so much
of what it is now, is not believed.
"""
Doubt = Literal["", "alike", "unseen", "faint"]
"""Others light like it; most of its light is clipped or black in the picture; the picture hardly shows it."""


@dataclass(frozen=True)
class Lamps:
    """Layers of light, radiance in nit, as they are now: ``halves`` (2, L, H, W, 3) of independent
    samples.
    """

    names: tuple[str, ...]
    halves: Floats

    @property
    def radiance(self) -> Floats:
        """(L, H, W, 3)."""
        return np.asarray(self.halves.mean(axis=0), np.float32)

    def with_one(self, name: str, halves: Floats) -> Lamps:
        """With another layer (2, H, W, 3), the last."""
        return Lamps((*self.names, name), np.concatenate([self.halves, halves[:, None]], axis=1))


@dataclass(frozen=True)
class Matched:
    """What a lamp must become.

    Attributes:
        gain: its strength by what it is now. unsure: standard deviation of it. color: what it must be tinted
            with, (3,) of luminance one; white unless colours were asked for.
        share: of the picture's light that it gives then. seen: of its own light, what falls where the picture
            says how much there was.
        like: names of others that light alike, with which only the sum is known.
    """

    name: str
    gain: float
    unsure: float
    color: tuple[float, float, float]
    share: float
    seen: float = 1.0
    like: tuple[str, ...] = ()

    @property
    def doubt(self) -> Doubt:
        """Why its strength is not to be believed; empty where it is."""
        if self.like:
            return "alike"
        if self.seen < SEEN:
            return "unseen"
        return "faint" if self.unsure > max(UNSURE * self.gain, _LEAST_UNSURE) else ""

    @property
    def sure(self) -> bool:
        """Whether its strength is to be believed."""
        return not self.doubt


@dataclass(frozen=True)
class LightMatch:
    """Light that explains a picture: by lamp, shown by a curve and exposure, mean ΔE before and after, and
    what remains in sRGB values where it is believed, noise of the layers taken off.
    """

    lamps: tuple[Matched, ...]
    shown: Shown
    before: float
    after: float
    picture: Floats
    misfit: float = 0.0


@dataclass(frozen=True)
class Blocks:
    """Blocks of pixels: the picture's light (N, 3), how much a change of it counts (N, 3), layers
    (2, L, N, 3), which share of each layer's light lies on them (L,), and rows and columns (2, N) of the
    pixels in their middles.
    """

    light: Doubles
    weight: Doubles
    layers: Doubles
    seen: Doubles
    middles: npt.NDArray[np.int64]

    def only(self, which: Mask) -> Blocks:
        """Some of them, (N,)."""
        return Blocks(
            self.light[which],
            self.weight[which],
            self.layers[:, :, which],
            self.seen,
            self.middles[:, which],
        )

    def trusted(self, trust: Doubles) -> Blocks:
        """With weights (N,) on them."""
        return replace(self, weight=self.weight * trust[:, None])


def matched(
    picture: Floats,
    lamps: Lamps,
    where: Mask,
    curve: str = "",
    colors: bool = False,
    anchor: str = "",
) -> LightMatch:
    """Match the light of a scene to a picture (H, W, 3), display light.

    How bright everything is together is the exposure: the lamp ``anchor`` stays as strong as it is, or the
    one that gives most light.

    Args:
        where: (H, W) pixels that count; leave out what is otherwise for another reason.
        curve: how the picture was shown; found where it is empty.
        colors: whether each lamp's colour is found too.

    Raises:
        Refused: too little of the picture says anything.
    """
    tried = tuple(CURVES) if not curve else (curve,)
    made = [_by_curve(picture, lamps, where, one, colors, anchor) for one in tried]
    return min(made, key=lambda one: one.after)


def held_to(match: LightMatch) -> str:
    """The lamp that gives most light, which others are held to; empty where none gives any: a lamp that is not
    there yet is nothing to hold the others to.
    """
    first = max(match.lamps, key=lambda one: one.share, default=None)
    return first.name if first is not None and first.share > 0 and first.gain > 0 else ""


def _by_curve(
    picture: Floats, lamps: Lamps, where: Mask, curve: str, colors: bool, anchor: str
) -> LightMatch:
    blocks = blocks_of(picture, lamps, where, curve)
    if len(blocks.light) < _FEWEST:
        raise Refused(
            "Too little of the picture can be read.",
            f"{len(blocks.light)} places that are neither black nor clipped",
            "Leave out fewer materials, or give a picture that is exposed otherwise.",
        )
    gains, spread, misfit = _solved(blocks, colors)
    radiance = lamps.radiance
    shares = _shares(radiance, gains, where)
    held = lamps.names.index(anchor) if anchor in lamps.names else int(shares.argmax())
    unit = _bright(gains[held]) or 1.0
    shown = Shown(curve, float(np.log2(unit)))
    light = np.einsum("lhwc,lc->hwc", radiance, gains / unit).astype(np.float32)
    made = displayed_by(light, shown)
    after = float(difference(picture[where], made[where]).mean()) if where.any() else 0.0
    before = _as_it_is(picture, radiance.sum(axis=0), where, curve)
    alike = _alike(blocks)
    told = tuple(
        Matched(
            name,
            _bright(gains[k]) / unit,
            float(spread[k] / unit),
            _tint(gains[k]) if colors else (1.0, 1.0, 1.0),
            float(shares[k]),
            float(blocks.seen[k]),
            tuple(lamps.names[j] for j in alike[k]),
        )
        for k, name in enumerate(lamps.names)
    )
    return LightMatch(told, shown, before, after, made, misfit)


def _bright(gain: Doubles) -> float:
    return float(luminance(gain))


def _tint(gain: Doubles) -> tuple[float, float, float]:
    bright = _bright(gain)
    red, green, blue = (float(v / bright) if bright > 0 else 1.0 for v in gain)
    return (red, green, blue)


def _as_it_is(picture: Floats, radiance: Floats, where: Mask, curve: str) -> float:
    shown = best_shown(radiance[where], picture[where], (curve,))
    return float(difference(picture[where], displayed_by(radiance[where], shown)).mean())


def _shares(radiance: Floats, gains: Doubles, where: Mask) -> Doubles:
    light = np.array(
        [_bright(one[where].mean(axis=0) * gain) for one, gain in zip(radiance, gains, strict=True)]
    )
    return np.asarray(light / max(float(light.sum()), 1e-12))


def blocks_of(picture: Floats, lamps: Lamps, where: Mask, curve: str) -> Blocks:
    """Means over blocks whose pixels all count; what a code is worth there, by the slope of curve and
    code.
    """
    codes = linear_to_srgb(picture)
    sound = where & (codes > _LEAST_CODE).any(axis=-1) & (codes < _MOST_CODE).all(axis=-1)

    def means(values: npt.NDArray[np.floating]) -> Doubles:
        made = block_means(values, BLOCK)
        return made.reshape(*made.shape[:-3], -1, made.shape[-1])

    full = means(sound[..., None].astype(np.float32))[:, 0] == 1
    light = means(undisplayed(picture, curve))[full]
    step = np.maximum(0.02 * light, 1e-4)
    slope = _codes(light + step, curve) - _codes(light, curve)
    layers = means(lamps.halves)
    counts = means(where[..., None].astype(np.float32))[:, 0]
    whole = np.abs(layers.mean(axis=0).sum(axis=-1)) @ counts
    seen = np.abs(layers.mean(axis=0)[:, full].sum(axis=-1)).sum(axis=-1) / np.maximum(whole, 1e-30)
    at = np.flatnonzero(full)
    middles = np.stack(np.divmod(at, picture.shape[1] // BLOCK)) * BLOCK + BLOCK // 2
    return Blocks(light, slope / step, layers[:, :, full], seen, middles)


def _codes(light: Doubles, curve: str) -> Doubles:
    return np.asarray(linear_to_srgb(displayed_by(light.astype(np.float32), Shown(curve, 0.0))), np.float64)


def _solved(blocks: Blocks, colors: bool) -> tuple[Doubles, Doubles, float]:
    """Gains (L, 3), standard deviations (L,), and what remains, robust against blocks that do not fit."""
    count = blocks.layers.shape[1]
    gains, spread, remains = np.zeros((count, 3)), np.zeros(count), []
    for channels in ([0], [1], [2]) if colors else ([0, 1, 2],):
        first, second = (half[:, :, channels].reshape(count, -1) for half in blocks.layers)
        light, weight = blocks.light[:, channels].ravel(), blocks.weight[:, channels].ravel()
        trust = np.ones_like(light)
        for _ in range(_ROUNDS):
            found, normal = _least_squares(first, second, light, weight * trust**0.5)
            off = np.abs((found @ (first + second) / 2 - light) * weight)
            sigma = 1.4826 * float(np.median(off)) + 1e-6
            trust = np.minimum(1.0, _HUBER * sigma / np.maximum(off, 1e-12))
        gains[:, channels] = found[:, None]
        free = found > 0
        inverse = np.zeros(count)
        if free.any():
            inverse[free] = np.diag(np.linalg.pinv(normal[np.ix_(free, free)]))
        # Blocks beside one another share what does not fit: a tenth of them speak for themselves.
        left = float((trust * off**2).sum() / max(trust.sum(), 1e-9))
        # Between the halves, so that their noise, which is not the same for every light, takes no part.
        apart = [(found @ half - light) * weight for half in (first, second)]
        remains.append(float((trust * apart[0] * apart[1]).sum() / max(trust.sum(), 1e-9)))
        spread = np.maximum(spread, np.sqrt(np.maximum(inverse, 0) * left * 10))
    return gains, spread, float(np.sqrt(max(float(np.mean(remains)), 0.0)))


def _least_squares(
    first: Doubles, second: Doubles, light: Doubles, weight: Doubles
) -> tuple[Doubles, Doubles]:
    """Non-negative weights of layers, and the normal matrix; sums of squares between independent halves."""
    a, b = first * weight, second * weight
    crossed = a @ b.T
    normal = (crossed + crossed.T) / 2
    wanted = (a + b) / 2 @ (light * weight)
    return weights_of(normal, wanted), normal


def _alike(blocks: Blocks) -> list[list[int]]:
    """By lamp, which others light so alike that the picture cannot tell them apart."""
    first, second = ((half * blocks.weight).reshape(half.shape[0], -1) for half in blocks.layers)
    crossed = (first @ second.T + second @ first.T) / 2
    size = np.sqrt(np.maximum(np.diag(crossed), 1e-30))
    cosine = crossed / np.outer(size, size)
    count = len(size)
    there = size > _LEAST_SHARE * size.max(initial=0)
    return [
        [j for j in range(count) if j != k and there[j] and there[k] and cosine[k, j] > ALIKE]
        for k in range(count)
    ]
