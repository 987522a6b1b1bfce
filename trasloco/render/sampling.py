"""Random numbers that both sides of a proof share, and the maps from them to directions.

Numbers depend only on (pixel, sample, dimension): Owen-scrambled Sobol pairs, padded (Burley 2020, "Practical
Hash-based
Owen Scrambling", Journal of Computer Graphics Techniques 9.4).
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import uint32

from trasloco.rays.compiled import device

TWO_PI = 2 * math.pi
_BELOW_ONE = 0.99999994


@device
def _mix(x: Any) -> Any:
    x = uint32(x)
    x ^= x >> uint32(16)
    x = uint32(x * uint32(0x7FEB352D))
    x ^= x >> uint32(15)
    x = uint32(x * uint32(0x846CA68B))
    x ^= x >> uint32(16)
    return x


@device
def _reverse(x: Any) -> Any:
    x = uint32(x)
    x = ((x >> uint32(1)) & uint32(0x55555555)) | ((x & uint32(0x55555555)) << uint32(1))
    x = ((x >> uint32(2)) & uint32(0x33333333)) | ((x & uint32(0x33333333)) << uint32(2))
    x = ((x >> uint32(4)) & uint32(0x0F0F0F0F)) | ((x & uint32(0x0F0F0F0F)) << uint32(4))
    x = ((x >> uint32(8)) & uint32(0x00FF00FF)) | ((x & uint32(0x00FF00FF)) << uint32(8))
    return uint32((x >> uint32(16)) | (x << uint32(16)))


@device
def _permute(x: Any, seed: Any) -> Any:
    """Laine-Karras permutation with the constants of Burley's listing 3."""
    x = uint32(x ^ uint32(x * uint32(0x3D20ADEA)))
    x = uint32(x + seed)
    x = uint32(x * ((seed >> uint32(16)) | uint32(1)))
    x = uint32(x ^ uint32(x * uint32(0x05526C56)))
    x = uint32(x ^ uint32(x * uint32(0x53A22864)))
    return x


@device
def random_pair(pixel: int, sample: int, dimension: int) -> tuple[float, float]:
    """Two numbers in [0, 1) that are well spread over the samples of one pixel and dimension."""
    seed = _mix(uint32(pixel) * uint32(0x9E3779B9) ^ _mix(uint32(dimension) + uint32(0x68BC21EB)))
    index = _reverse(_permute(_reverse(uint32(sample)), seed))
    # The second Sobol dimension is Pascal's triangle modulo 2 applied to the index, here in five masked
    # shifts.
    x = _reverse(index)
    y = x
    y ^= y << uint32(16)
    y ^= (y & uint32(0x00FF00FF)) << uint32(8)
    y ^= (y & uint32(0x0F0F0F0F)) << uint32(4)
    y ^= (y & uint32(0x33333333)) << uint32(2)
    y ^= (y & uint32(0x55555555)) << uint32(1)
    first = _reverse(_permute(index, _mix(seed ^ uint32(0xA511E9B3))))
    second = _reverse(_permute(_reverse(y), _mix(seed ^ uint32(0x63D83595))))
    return min(first * (1.0 / 4294967296.0), _BELOW_ONE), min(second * (1.0 / 4294967296.0), _BELOW_ONE)


@device
def cosine_direction(u: float, v: float) -> tuple[float, float, float]:
    """A direction about +Z with density cos(theta) / pi (Malley's method)."""
    r = math.sqrt(u)
    phi = TWO_PI * v
    return r * math.cos(phi), r * math.sin(phi), math.sqrt(max(0.0, 1.0 - u))


@device
def basis(nx: float, ny: float, nz: float) -> tuple[float, float, float, float, float, float]:
    """Two unit vectors that complete a unit normal (Duff et al. 2017, JCGT 6.1)."""
    sign = 1.0 if nz >= 0.0 else -1.0
    a = -1.0 / (sign + nz)
    b = nx * ny * a
    return 1.0 + sign * nx * nx * a, sign * b, -sign * nx, b, sign + ny * ny * a, -ny


_A_GUIDE = 8
"""Intervals to one guide of a picking table."""
_EARLIER = 1e-9
"""Guides look a little early, so that rounding never makes them late."""


@device
def pick(table: Any, row: int, count: int, u: float) -> tuple[int, float]:
    """Index of the interval that holds u in a row of a :func:`picking` table of ``count`` weights, and how far
    into the interval it is, 0 to 1.
    """
    guides = (count + _A_GUIDE - 1) // _A_GUIDE
    start = row * (guides + count) + guides
    found = int(table[start - guides + min(int(u * guides), guides - 1)])
    while found < count - 1 and table[start + found] <= u:
        found += 1
    low = table[start + found - 1] if found > 0 else 0.0
    return found, min(max((u - low) / max(table[start + found] - low, 1e-12), 0.0), 1.0)


def picking(weights: Any) -> Any:
    """A table to pick from rows of weights (R, N) by (:func:`pick`), flat: of each row guides, then cumulative
    sums, scaled to end at exactly 1 (equal steps where all weights are zero).

    A guide tells where to look from in its equal part of [0, 1), so that an interval is found in a few steps
    that lie side by side in memory (Chen and Asau 1974).
    """
    rows, count = weights.shape
    guides = (count + _A_GUIDE - 1) // _A_GUIDE
    sums, step = cumulative_of(weights), np.arange(rows)[:, None]
    wanted = np.arange(guides) / max(guides, 1) - _EARLIER
    # All rows in one: each a step of 1 above the one before.
    first = np.searchsorted((sums + step).reshape(-1), (wanted + step).reshape(-1), side="right")
    first = np.clip(first.reshape(rows, guides) - step * count, 0, max(count - 1, 0))
    return np.concatenate([first, sums], axis=1).reshape(-1)


def cumulative_of(weights: Any) -> Any:
    """Cumulative sums of (..., N) weights, scaled to end at exactly 1; equal steps where all weights are
    zero.
    """
    total = np.cumsum(weights, axis=-1, dtype=np.float64)
    last = total[..., -1:]
    steps = np.broadcast_to((np.arange(weights.shape[-1]) + 1) / weights.shape[-1], total.shape)
    table = np.where(last > 0, total / np.where(last > 0, last, 1), steps)
    table[..., -1] = 1.0
    return table
