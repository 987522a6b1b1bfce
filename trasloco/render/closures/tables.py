"""How much of the light each closure sends back in all, by direction: measured on the closures themselves,
once a process.

Layers weaken what lies below by it, and light lost between facets is given back by it (Turquin 2019,
"Practical multiple scattering
compensation for microfacet models"), so that a white surface under an even sky stays white.
"""

from __future__ import annotations

import math
import tempfile
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple
from zipfile import BadZipFile

import numpy as np

from trasloco.rays.compiled import CACHE, device, kernel
from trasloco.render.closures.fresnel import dielectric
from trasloco.render.closures.ggx import MIN_ALPHA, hidden, refract, sample_half
from trasloco.render.closures.sheen import sheen

COSINES, WIDTHS, INDICES = 32, 24, 26
MOST_ROOT = 0.995
"""Largest (n - 1) / (n + 1) of the tables: a reflectance of 0.99 straight on."""
BRUSHED = (16, 8, 16, 8)
_AROUND, _OUTWARD = 36, 96
_STRATA = _AROUND * _OUTWARD


class Albedos(NamedTuple):
    """Shares of light, in [0, 1]; those of sheen can be above 1, where its visibility term gives light from
    nowhere.

    metal (COSINES, WIDTHS) of a white metal; reflected, through (2, COSINES, WIDTHS, INDICES) of a dielectric
    seen from outside (0) and from inside (1), both before
    anything is given back; sheen (COSINES, WIDTHS). brushed (16, 8, 16, 8) of a white metal with two widths:
    by cosine, angle from the wider one, wider width, and how much narrower the other is. Cosines are squares
    of even steps, widths are even steps of roughness, indices even steps of the root of (n - 1) / (n + 1),
    since the angle beyond which nothing leaves a solid opens with the root of n - 1.
    """

    metal: Any
    reflected: Any
    through: Any
    sheen: Any
    brushed: Any


@device
def _cosine(k: int) -> float:
    u = k / (COSINES - 1)
    return max(u * u, 1e-4)


@device
def _stratum(m: int) -> tuple[float, float, float]:
    """The middle of a stratum of facets and its weight, all weights summing to their number: ever finer
    towards the steepest facets, where the long tail lies.
    """
    t = (m // _AROUND + 0.5) / _OUTWARD
    left = 1.0 - t
    return (
        (m % _AROUND + 0.5) / _AROUND,
        1.0 - left * left * left,
        3.0
        * left
        * left
        * _OUTWARD
        * _OUTWARD
        * _OUTWARD
        / (_OUTWARD * _OUTWARD * _OUTWARD - 0.25 * _OUTWARD),
    )


@kernel
def _metal(metal: Any) -> None:
    for j in range(WIDTHS):
        alpha = max((j / (WIDTHS - 1)) ** 2, MIN_ALPHA)
        for k in range(COSINES):
            c = _cosine(k)
            s = math.sqrt(1.0 - c * c)
            total = 0.0
            for m in range(_STRATA):
                u, v, weight = _stratum(m)
                hx, hy, hz = sample_half(s, 0.0, c, alpha, alpha, u, v)
                d = 2.0 * (s * hx + c * hz)
                ix, iy, iz = d * hx - s, d * hy, d * hz - c
                if iz > 0.0:
                    a = hidden(s, 0.0, c, alpha, alpha)
                    total += weight * (1.0 + a) / (1.0 + a + hidden(ix, iy, iz, alpha, alpha))
            metal[k, j] = total / _STRATA


@kernel
def _dielectric(reflected: Any, through: Any) -> None:
    for n in range(INDICES):
        root = (n / (INDICES - 1)) ** 2 * MOST_ROOT
        index = (1.0 + root) / (1.0 - root)
        for side in range(2):
            eta = index if side == 0 else 1.0 / index
            for j in range(WIDTHS):
                alpha = max((j / (WIDTHS - 1)) ** 2, MIN_ALPHA)
                for k in range(COSINES):
                    c = _cosine(k)
                    s = math.sqrt(1.0 - c * c)
                    back, on = 0.0, 0.0
                    for m in range(_STRATA):
                        u, v, weight = _stratum(m)
                        hx, hy, hz = sample_half(s, 0.0, c, alpha, alpha, u, v)
                        oh = s * hx + c * hz
                        f = dielectric(max(oh, 0.0), eta)
                        ix, iy, iz = 2.0 * oh * hx - s, 2.0 * oh * hy, 2.0 * oh * hz - c
                        a = hidden(s, 0.0, c, alpha, alpha)
                        if iz > 0.0:
                            back += weight * f * (1.0 + a) / (1.0 + a + hidden(ix, iy, iz, alpha, alpha))
                        if f < 1.0:
                            tx, ty, tz, goes = refract(s, 0.0, c, hx, hy, hz, eta)
                            if goes and tz < 0.0:
                                on += weight * (1.0 - f) / (1.0 + hidden(tx, ty, -tz, alpha, alpha))
                    reflected[side, k, j, n] = back / _STRATA
                    through[side, k, j, n] = on / _STRATA


@kernel
def _sheen(table: Any) -> None:
    steps = 96
    for j in range(WIDTHS):
        for k in range(COSINES):
            c = _cosine(k)
            s = math.sqrt(1.0 - c * c)
            total = 0.0
            for p in range(steps):
                phi = (p + 0.5) / steps * math.pi
                for t in range(steps):
                    theta = (t + 0.5) / steps * 0.5 * math.pi
                    z, r = math.cos(theta), math.sin(theta)
                    total += (
                        sheen(s, 0.0, c, r * math.cos(phi), r * math.sin(phi), z, j / (WIDTHS - 1)) * z * r
                    )
            table[k, j] = total * 2.0 * math.pi / steps * 0.5 * math.pi / steps


@kernel
def _brushed(table: Any) -> None:
    for r in range(BRUSHED[3]):
        for j in range(BRUSHED[2]):
            ax = max((j / (BRUSHED[2] - 1)) ** 2, MIN_ALPHA)
            ay = max(ax * r / (BRUSHED[3] - 1), MIN_ALPHA)
            for p in range(BRUSHED[1]):
                phi = p / (BRUSHED[1] - 1) * 0.5 * math.pi
                for k in range(BRUSHED[0]):
                    c = max((k / (BRUSHED[0] - 1)) ** 2, 1e-4)
                    s = math.sqrt(1.0 - c * c)
                    x, y = s * math.cos(phi), s * math.sin(phi)
                    total = 0.0
                    for m in range(_STRATA):
                        u, v, weight = _stratum(m)
                        hx, hy, hz = sample_half(x, y, c, ax, ay, u, v)
                        d = 2.0 * (x * hx + y * hy + c * hz)
                        ix, iy, iz = d * hx - x, d * hy - y, d * hz - c
                        if iz > 0.0:
                            a = hidden(x, y, c, ax, ay)
                            total += weight * (1.0 + a) / (1.0 + a + hidden(ix, iy, iz, ax, ay))
                    table[k, p, j, r] = total / _STRATA


@cache
def albedos() -> Albedos:
    """The tables: measured once for each state of the kernels, which takes some seconds, and kept beside
    them.
    """
    kept = CACHE / "albedos.npz"
    try:
        with np.load(kept) as held:
            return Albedos(*(np.ascontiguousarray(held[name]) for name in Albedos._fields))
    except (OSError, KeyError, ValueError, BadZipFile):
        made = _measured()
    try:
        kept.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.NamedTemporaryFile(dir=kept.parent, suffix=".npz", delete=False) as file:
            np.savez(file, **made._asdict())
        Path(file.name).replace(kept)
    except OSError:  # nowhere to keep them: measured again next time
        pass
    return made


def _measured() -> Albedos:
    metal = np.empty((COSINES, WIDTHS))
    reflected, through = np.empty((2, COSINES, WIDTHS, INDICES)), np.empty((2, COSINES, WIDTHS, INDICES))
    cloth = np.empty((COSINES, WIDTHS))
    _metal(metal)
    _dielectric(reflected, through)
    _sheen(cloth)
    two = np.empty(BRUSHED)
    _brushed(two)
    return Albedos(metal, reflected, through, cloth, two)


@device
def _place(value: float, count: int) -> tuple[int, float]:
    x = min(max(value, 0.0), 1.0) * (count - 1)
    k = min(int(x), count - 2)
    return k, x - k


@device
def table2(table: Any, cosine: float, alpha: float) -> float:
    """A (COSINES, WIDTHS) table between its entries."""
    k, fk = _place(math.sqrt(max(cosine, 0.0)), COSINES)
    j, fj = _place(math.sqrt(max(alpha, 0.0)), WIDTHS)
    return (table[k, j] * (1 - fj) + table[k, j + 1] * fj) * (1 - fk) + (
        table[k + 1, j] * (1 - fj) + table[k + 1, j + 1] * fj
    ) * fk


@device
def table3(table: Any, side: int, cosine: float, alpha: float, index: float) -> float:
    """A (2, COSINES, WIDTHS, INDICES) table between its entries, for an index of refraction >= 1."""
    k, fk = _place(math.sqrt(max(cosine, 0.0)), COSINES)
    j, fj = _place(math.sqrt(max(alpha, 0.0)), WIDTHS)
    n, fn = _place(math.sqrt(max(index - 1.0, 0.0) / (index + 1.0) / MOST_ROOT), INDICES)
    total = 0.0
    for a in range(2):
        wa = fk if a == 1 else 1 - fk
        for b in range(2):
            wb = fj if b == 1 else 1 - fj
            total += (
                wa * wb * (table[side, k + a, j + b, n] * (1 - fn) + table[side, k + a, j + b, n + 1] * fn)
            )
    return total


@device
def table4(table: Any, x: float, y: float, cosine: float, ax: float, ay: float) -> float:
    """The brushed table between its entries: a direction in the frame of the widths ``ax`` and ``ay``."""
    x, y = abs(x), abs(y)
    if ay > ax:
        x, y, ax, ay = y, x, ay, ax
    k, fk = _place(math.sqrt(max(cosine, 0.0)), 16)
    p, fp = _place(math.atan2(y, x + 1e-12) / (0.5 * math.pi), 8)
    j, fj = _place(math.sqrt(ax), 16)
    r, fr = _place(ay / ax, 8)
    total = 0.0
    for n in range(16):
        wk = fk if n & 1 else 1 - fk
        wp = fp if n & 2 else 1 - fp
        wj = fj if n & 4 else 1 - fj
        wr = fr if n & 8 else 1 - fr
        total += (
            wk * wp * wj * wr * table[k + (n & 1), p + ((n >> 1) & 1), j + ((n >> 2) & 1), r + ((n >> 3) & 1)]
        )
    return total
