"""A mean difference without what noise makes of it, and how sure it is."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

Doubles = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Figure:
    """Mean ΔE of some pixels.

    Attributes:
        value: the difference itself, what noise adds taken off. low, high: within which it lies, however it
            is shared out over the pixels.
        raw: as found, noise and all. noise: what noise makes by itself. cover: share of the frame.
    """

    value: float
    low: float
    high: float
    raw: float
    noise: float
    cover: float = 1.0


NOTHING = Figure(0.0, 0.0, 0.0, 0.0, 0.0, 0.0)

_CLEAR = 3.0
"""Times the noise about a pixel from which on its difference is clear of it."""
_FROM_HALVES = 1 / (math.sqrt(2) - 1)
"""How far what falls with the root of the samples goes on from all of them, in steps from half of them to
all. What falls with the samples themselves goes on by one.
"""


@dataclass(frozen=True)
class Pixels:
    """What two pictures of the same view differ by, pixel by pixel (N,) or (H, W), in ΔE.

    Attributes:
        found: of all samples. floor: what their noise alone makes, a draw of it independent of the
            difference's own. halves: the mean of what the even and the odd samples differ by, each by
            themselves. spread: noise about each pixel, and no less than its own.
    """

    found: Doubles
    floor: Doubles
    halves: Doubles
    spread: Doubles

    def at(self, where: Any) -> Pixels:
        """Of the pixels under a mask (H, W)."""
        return Pixels(self.found[where], self.floor[where], self.halves[where], self.spread[where])

    @property
    def clear(self) -> npt.NDArray[np.bool_]:
        """Which differ by so much that noise has no say in it but to shift it to and fro."""
        return np.asarray(self.found > _CLEAR * self.spread)


def pixels_of(found: Any, floor: Any, halves: Any) -> Pixels:
    """Of a picture's pixels (H, W)."""
    d, f, m = (np.asarray(one, np.float64) for one in (found, floor, halves))
    height, width = f.shape
    edged = np.pad(f * f, 1, mode="edge")
    about = sum(edged[y : y + height, x : x + width] for y in range(3) for x in range(3)) / 9
    return Pixels(d, f, m, np.maximum(f, np.sqrt(about)))


def figure_of(pixels: Pixels, cover: float = 1.0) -> Figure:
    """What is told of some pixels: of those whose difference is clear of noise, and of the others, each as
    far as it can be known of them (``docs/interval.md``).
    """
    if not pixels.found.size:
        return NOTHING
    clear = pixels.clear
    share, told = float(clear.mean()), np.zeros(3)
    if share > 0:
        told += share * _of_clear(pixels.at(clear))
    if share < 1:
        told += (1 - share) * _of_unclear(pixels.at(~clear))
    value, low, high = (float(one) for one in np.maximum(told, 0))
    raw, noise = float(pixels.found.mean()), float(pixels.floor.mean())
    return Figure(min(max(value, low), high), low, high, raw, noise, cover)


def error_of(pixels: Pixels) -> float:
    """Two standard errors of what :func:`figure_of` tells of the same."""
    if not pixels.found.size:
        return 0.0
    clear = pixels.clear
    share, made = float(clear.mean()), 0.0
    if share > 0:
        made += share * _error_of_clear(pixels.at(clear))
    if share < 1:
        made += (1 - share) * _error_of_unclear(pixels.at(~clear))
    return made


def _of_clear(pixels: Pixels) -> Doubles:
    """(3,) mean, least and most of differences that are clear of noise.

    Along the difference, noise averages out. What it adds across it, and what the tone curve takes from what
    is bright in few samples, falls with the samples: halves have twice as much of both, so that the step from
    halves to all of them, gone on by one more, is there (the jackknife; Quenouille 1956). The interval holds
    both what is seen and what it would be if that fell with their root.
    """
    raw = float(pixels.found.mean())
    step, error = raw - float(pixels.halves.mean()), _error_of_clear(pixels)
    ends = (raw, raw + _FROM_HALVES * step)
    return np.array([raw + step, min(ends) - error, max(ends) + error])


def _error_of_clear(pixels: Pixels) -> float:
    """Two standard errors, of the mean by the noise and of what is taken off by how pixels differ in it."""
    count, steps = len(pixels.found), pixels.found - pixels.halves
    return 2 * (math.sqrt(float((pixels.floor**2).sum())) / count + float(steps.std()) / math.sqrt(count))


def _error_of_unclear(pixels: Pixels) -> float:
    d, f = pixels.found, pixels.floor
    raw, (signal, error, error_of_square) = float(d.mean()), _squares(d, f)
    most, _ = _mean_behind(raw + 2 * error, signal + 2 * error_of_square, f)
    least, _ = _mean_behind(raw - 2 * error, max(signal - 2 * error_of_square, 0.0), f)
    return max(most - least, 0.0) / 2


def _of_unclear(pixels: Pixels) -> Doubles:
    """(3,) mean, least and most of differences that noise may have made.

    A difference s with noise n has s^2 + n^2 in the mean, so the mean of d^2 - f^2 is the mean square of the
    difference. How its mean lies to that tells what was found: the same mean square makes the lengths longer
    where it is even over the pixels than where few of them have all of it. So told is the mean of that share
    of the pixels, all differing alike, which would make what was found. As far as the mean square is beyond
    its error, so that there is a difference, less is taken off where the halves, with twice the noise, show
    that it adds less than it would to them.

    The interval needs no such shape. What was found is longer than the difference by no more than the noise
    (the triangle inequality), and not shorter in the mean (noise averages out and lengths are convex), nor is
    the mean above the root of the mean square; each at two standard errors, which are the noise's alone: all
    pixels were looked at. Where halves differ less than all samples do, the tone curve hides of both what
    more samples would show, and the most is as much higher.
    """
    d, f = pixels.found, pixels.floor
    raw, noise, halves = float(d.mean()), float(f.mean()), float(pixels.halves.mean())
    signal, error, error_of_square = _squares(d, f)
    hidden = max(raw - halves, 0.0)
    low = raw - noise - 2 * error
    high = max(min(math.sqrt(signal + 2 * error_of_square), raw + 2 * error), low, 0.0)
    behind, doubled = _mean_behind(raw, signal, f)
    added = min(max(halves - raw, 0.0) / max(doubled - raw, 1e-9), 1.0)
    seen = min(raw - (raw - behind) * added, math.sqrt(signal)) + hidden
    sure = min(signal / max(2 * error_of_square, 1e-12), 1.0)
    return np.array([behind + (seen - behind) * sure, low, high + _FROM_HALVES * hidden])


def _squares(d: Doubles, f: Doubles) -> tuple[float, float, float]:
    """The mean square of the difference, and the standard errors of the mean of d and of that square:
    variances of d by f^2, and of d^2 - f^2 by 4 s^2 f^2 + 2 f^4, with s^2 where it is seen.
    """
    apart = d**2 - f**2
    error = math.sqrt(float((f**2).sum())) / len(d)
    error_of_square = math.sqrt(float((4 * np.maximum(apart, 0) * f**2 + 2 * f**4).sum())) / len(d)
    return max(float(apart.mean()), 0.0), error, error_of_square


_FEW = 512
"""Noises that are enough to know how they are spread."""


def _mean_behind(raw: float, signal: float, floor: Doubles) -> tuple[float, float]:
    """The mean difference of which noise like ``floor`` makes ``raw``, with a mean square of ``signal``, and
    what noise of twice its square would make of it.
    """
    f = floor[:: max(len(floor) // _FEW, 1)]
    f = f * (float(floor.mean()) / max(float(f.mean()), 1e-12))
    low, high = 0.0, 1.0
    for _ in range(24):
        share = (low + high) / 2
        low, high = (share, high) if _made(share, signal, f) < raw else (low, share)
    return math.sqrt(high * signal), _made(high, signal, math.sqrt(2) * f)


def _made(share: float, signal: float, f: Doubles) -> float:
    """What is found where a share p of the pixels differs by s = S / sqrt(p): p E|s + f| + (1 - p) f, where
    noise in any direction of three makes a length of max + min^2 / (3 max) of both.
    """
    apart = math.sqrt(signal / share)
    long, short = np.maximum(np.maximum(apart, f), 1e-12), np.minimum(apart, f)
    return float((share * (long + short**2 / (3 * long)) + (1 - share) * f).mean())
