"""Dull surfaces: Lambert, and Oren-Nayar that keeps its energy (Portsmouth, Kutz and Hill 2024, "EON: A
Practical Energy-Preserving Rough Diffuse BRDF").
"""

from __future__ import annotations

import math

from trasloco.rays.compiled import device

_ONE = 0.5 - 2.0 / (3.0 * math.pi)
_TWO = 2.0 / 3.0 - 28.0 / (15.0 * math.pi)


@device
def fujii_albedo(cosine: float, roughness: float) -> float:
    """Directional albedo of the single-scattering part for white, exact (EON, equation 9)."""
    c = min(max(cosine, 1e-6), 1.0)
    s = math.sqrt(1.0 - c * c)
    g = s * (math.acos(c) - s * c) + (2.0 / 3.0) * ((s / c) * (1.0 - s * s * s) - s)
    return (1.0 + roughness * g / math.pi) / (1.0 + _ONE * roughness)


@device
def rough_diffuse(
    albedo: float, roughness: float, oi: float, oz: float, iz: float, eo: float, ei: float
) -> float:
    """Value without cosine. ``oi`` is o.i; ``eo`` and ``ei`` are :func:`fujii_albedo` of both directions."""
    s = oi - oz * iz
    t = s / max(oz, iz) if s > 0.0 else s
    a = 1.0 / (1.0 + _ONE * roughness)
    mean = a * (1.0 + _TWO * roughness)
    single = albedo / math.pi * a * (1.0 + roughness * t)
    many = albedo * albedo * mean / (1.0 - albedo * (1.0 - mean))
    return single + many / math.pi * max(1.0 - eo, 1e-7) * max(1.0 - ei, 1e-7) / max(1.0 - mean, 1e-7)
