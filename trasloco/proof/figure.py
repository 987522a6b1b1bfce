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
        value: the difference itself, what noise adds taken off in quadrature. low, high: within which it
            lies, at two standard errors.
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
    of the difference; its spread over the
    pixels tells how sure that is. The root of it is never below the mean, and what was found is never below
    it either: the smaller of both is told,
    so that a figure rather says too much than too little.
    """
    d, f = np.asarray(found, np.float64).ravel(), np.asarray(floor, np.float64).ravel()
    if not len(d):
        return NOTHING
    raw, whole = float(d.mean()), float((d**2).mean())
    if whole <= 0:
        return Figure(0.0, 0.0, 0.0, 0.0, float(f.mean()), cover)
    apart = d**2 - f**2
    signal, error = float(apart.mean()), float(apart.std() / math.sqrt(len(d)))
    # How even the differences are: their mean over their root mean square.
    even = raw / math.sqrt(whole)
    value = min(raw, math.sqrt(max(signal, 0.0)))
    low, high = even * math.sqrt(max(signal - 2 * error, 0.0)), math.sqrt(max(signal + 2 * error, 0.0))
    spread = float(d.std()) / math.sqrt(len(d))
    return Figure(
        value, min(low, value), max(min(high, raw + 2 * spread), value), raw, float(f.mean()), cover
    )
