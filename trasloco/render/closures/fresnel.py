"""Fresnel reflectance of dielectrics and metals."""

from __future__ import annotations

import math

from trasloco.rays.compiled import device

F82_COSINE = 1.0 / 7.0


@device
def dielectric(cosine: float, eta: float) -> float:
    """Unpolarised reflectance of a smooth boundary (Fresnel's equations).

    ``eta``: index beyond over index on this side; ``cosine`` >= 0 on this side.
    """
    sine2 = (1.0 - cosine * cosine) / (eta * eta)
    if sine2 >= 1.0:
        return 1.0
    beyond = math.sqrt(1.0 - sine2)
    s = (cosine - eta * beyond) / (cosine + eta * beyond)
    p = (eta * cosine - beyond) / (eta * cosine + beyond)
    return 0.5 * (s * s + p * p)


@device
def index_for(f0: float) -> float:
    """The index of refraction with reflectance ``f0`` straight on, at most that of 0.99."""
    root = math.sqrt(min(max(f0, 0.0), 0.99))
    return (1.0 + root) / (1.0 - root)


@device
def f82(f0: float, edge: float, cosine: float) -> float:
    """Metals by their colour straight on and a tint near 82 degrees (OpenPBR Surface 1.1, metal: the F82-tint
    model). ``edge`` 1 is Schlick's.
    """
    m = min(max(1.0 - cosine, 0.0), 1.0)
    m5 = m * m * m * m * m
    away = 1.0 - F82_COSINE
    at = f0 + (1.0 - f0) * away * away * away * away * away
    b = at * (1.0 - edge) / (F82_COSINE * away * away * away * away * away * away)
    return max(f0 + (1.0 - f0) * m5 - b * cosine * m5 * m, 0.0)
