"""Sheen of cloth: the microfibre distribution of KHR_materials_sheen (Estevez and Kulla 2017), with the
visibility term that its text gives.
"""

from __future__ import annotations

import math

from trasloco.rays.compiled import device

LEAST_ROUGHNESS = 0.1


@device
def sheen(ox: float, oy: float, oz: float, ix: float, iy: float, iz: float, roughness: float) -> float:
    """Value without cosine for a white sheen.

    ``roughness`` is the input's; its square is the distribution's width.
    """
    hx, hy, hz = ox + ix, oy + iy, oz + iz
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    hz = min(hz / max(length, 1e-9), 1.0)
    r = max(roughness, LEAST_ROUGHNESS)
    sharp = 1.0 / (r * r)
    sine = math.sqrt(max(1.0 - hz * hz, 0.0))
    d = (2.0 + sharp) * math.pow(sine, sharp) / (2.0 * math.pi)
    return d / (4.0 * max(oz + iz - oz * iz, 1e-6))
