"""A clear coat over everything but sheen, with a normal of its own."""

from __future__ import annotations

import math
from typing import Any

from trasloco.rays.compiled import device
from trasloco.render.closures import record
from trasloco.render.closures.fresnel import dielectric
from trasloco.render.closures.ggx import distribution, hidden

COAT_INDEX = 1.5


@device
def coat(s: Any, ix: float, iy: float, iz: float) -> tuple[float, float, float, float, float]:
    """What the coat lets to and from below by its colour, rgb; its own reflection without cosine of the base;
    its density. The coat has a normal of its own.
    """
    oz = max(
        s[record.VIEWER] * s[record.CN]
        + s[record.VIEWER + 1] * s[record.CN + 1]
        + s[record.VIEWER + 2] * s[record.CN + 2],
        1e-3,
    )
    cz = ix * s[record.CN] + iy * s[record.CN + 1] + iz * s[record.CN + 2]
    r, g, b = 1.0, 1.0, 1.0
    if s[record.COAT_COLOR] < 1.0 or s[record.COAT_COLOR + 1] < 1.0 or s[record.COAT_COLOR + 2] < 1.0:
        # Straight down and up again the colour is met once in all; slanted ways are longer (OpenPBR, coat:
        # absorption).
        way = 0.5 * (_longer(oz) + _longer(max(cz, 1e-3)))
        r = 1.0 + s[record.COAT] * (math.pow(max(s[record.COAT_COLOR], 1e-6), way) - 1.0)
        g = 1.0 + s[record.COAT] * (math.pow(max(s[record.COAT_COLOR + 1], 1e-6), way) - 1.0)
        b = 1.0 + s[record.COAT] * (math.pow(max(s[record.COAT_COLOR + 2], 1e-6), way) - 1.0)
    if cz <= 1e-6:
        return r, g, b, 0.0, 0.0
    hx, hy, hz = s[record.VIEWER] + ix, s[record.VIEWER + 1] + iy, s[record.VIEWER + 2] + iz
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    hx, hy, hz = hx / length, hy / length, hz / length
    oh = max(s[record.VIEWER] * hx + s[record.VIEWER + 1] * hy + s[record.VIEWER + 2] * hz, 0.0)
    nh = min(hx * s[record.CN] + hy * s[record.CN + 1] + hz * s[record.CN + 2], 1.0)
    if nh <= 0.0:
        return r, g, b, 0.0, 0.0
    alpha = s[record.COAT_ALPHA]
    side = math.sqrt(max(1.0 - nh * nh, 0.0))
    d = distribution(side, 0.0, nh, alpha, alpha)
    lo, li = (
        hidden(math.sqrt(max(1.0 - oz * oz, 0.0)), 0.0, oz, alpha, alpha),
        hidden(math.sqrt(max(1.0 - cz * cz, 0.0)), 0.0, cz, alpha, alpha),
    )
    # The cosine of the coat's own normal, over that of the base which the sum is multiplied with.
    lz = max(ix * s[record.N] + iy * s[record.N + 1] + iz * s[record.N + 2], 1e-6)
    value = s[record.W_COAT] * dielectric(oh, COAT_INDEX) * d / ((1.0 + lo + li) * 4.0 * oz * lz)
    return r, g, b, value, s[record.P_COAT] * d / ((1.0 + lo) * 4.0 * oz)


@device
def _longer(cosine: float) -> float:
    return 1.0 / math.sqrt(1.0 - (1.0 - cosine * cosine) / (COAT_INDEX * COAT_INDEX))
