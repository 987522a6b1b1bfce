"""A mean difference without what noise makes of it, and how sure it is."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np


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


def figure_of(found: Any, floor: Any, cover: float = 1.0) -> Figure:
    """From ΔE of pixels (N,) and what their noise alone makes, a draw of it independent of the difference's
    own.

    A difference s with noise n has s^2 + n^2 in the mean, so the mean of found^2 - floor^2 is the mean square
    of the difference. How its mean lies to that tells what was found: the same mean square makes the lengths
    longer where it is even over the pixels than where few of them have all of it. So told is the mean of that
    share of the pixels, all differing alike, which would make what was found.

    The interval needs no such shape. What was found is longer than the difference by no more than the noise
    (the triangle inequality), and not shorter in the mean (noise averages out and lengths are convex), nor is
    the mean above the root of the mean square; each at two standard errors, which are the noise's alone: all
    pixels were looked at.
    """
    d, f = np.asarray(found, np.float64).ravel(), np.asarray(floor, np.float64).ravel()
    if not len(d):
        return NOTHING
    raw, noise = float(d.mean()), float(f.mean())
    signal, error, error_of_square = _squares(d, f)
    low = max(raw - noise - 2 * error, 0.0)
    high = max(min(math.sqrt(signal + 2 * error_of_square), raw + 2 * error), low)
    return Figure(min(max(_mean_behind(raw, signal, f), low), high), low, high, raw, noise, cover)


def error_of(found: Any, floor: Any) -> float:
    """Two standard errors of what :func:`figure_of` tells of the same."""
    d, f = np.asarray(found, np.float64).ravel(), np.asarray(floor, np.float64).ravel()
    if not len(d):
        return 0.0
    raw, (signal, error, error_of_square) = float(d.mean()), _squares(d, f)
    most = _mean_behind(raw + 2 * error, signal + 2 * error_of_square, f)
    least = _mean_behind(raw - 2 * error, max(signal - 2 * error_of_square, 0.0), f)
    return max(most - least, 0.0) / 2


def _squares(d: Any, f: Any) -> tuple[float, float, float]:
    """The mean square of the difference, and the standard errors of the mean of d and of that square:
    variances of d by f^2, and of d^2 - f^2 by 4 s^2 f^2 + 2 f^4, with s^2 where it is seen.
    """
    apart = d**2 - f**2
    error = math.sqrt(float((f**2).sum())) / len(d)
    error_of_square = math.sqrt(float((4 * np.maximum(apart, 0) * f**2 + 2 * f**4).sum())) / len(d)
    return max(float(apart.mean()), 0.0), error, error_of_square


_FEW = 512
"""Noises that are enough to know how they are spread."""


def _mean_behind(raw: float, signal: float, floor: Any) -> float:
    """The mean difference of which noise like ``floor`` makes ``raw``, with a mean square of ``signal``: with
    a share p of the pixels that differ by s = S / sqrt(p), p E|s + f| + (1 - p) f is what is found, where
    noise in any direction of three makes a length of max + min^2 / (3 max) of both.
    """
    if signal <= 0:
        return 0.0
    f = floor[:: max(len(floor) // _FEW, 1)]
    f = f * (float(floor.mean()) / max(float(f.mean()), 1e-12))
    low, high = 0.0, 1.0
    for _ in range(24):
        share = (low + high) / 2
        apart = math.sqrt(signal / share)
        long, short = np.maximum(np.maximum(apart, f), 1e-12), np.minimum(apart, f)
        made = float((share * (long + short**2 / (3 * long)) + (1 - share) * f).mean())
        low, high = (share, high) if made < raw else (low, share)
    return math.sqrt(high * signal)
