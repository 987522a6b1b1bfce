"""The GGX microfacet distribution, with two widths.

Directions are in a frame whose +Z is the normal and +X the direction of ``ax``.
"""

from __future__ import annotations

import math

from trasloco.rays.compiled import device

MIN_ALPHA = 1e-3


@device
def distribution(hx: float, hy: float, hz: float, ax: float, ay: float) -> float:
    """Density of facets (Walter et al. 2007, equation 33; two widths: Heitz 2014, equation 85)."""
    x, y = hx / ax, hy / ay
    d = x * x + y * y + hz * hz
    return 1.0 / (math.pi * ax * ay * d * d)


@device
def hidden(wx: float, wy: float, wz: float, ax: float, ay: float) -> float:
    """Smith's lambda (Heitz 2014, equations 72 and 86): the share seen is 1 / (1 + lambda)."""
    c2 = max(wz * wz, 1e-14)
    return 0.5 * (math.sqrt(1.0 + (ax * ax * wx * wx + ay * ay * wy * wy) / c2) - 1.0)


@device
def sample_half(
    ox: float, oy: float, oz: float, ax: float, ay: float, u: float, v: float
) -> tuple[float, float, float]:
    """A facet normal as seen from o (Dupuy and Benyoub 2023, "Sampling Visible GGX Normals with Spherical
    Caps").
    """
    wx, wy, wz = ax * ox, ay * oy, oz
    length = math.sqrt(wx * wx + wy * wy + wz * wz)
    wx, wy, wz = wx / length, wy / length, wz / length
    phi = 2.0 * math.pi * u
    z = (1.0 - v) * (1.0 + wz) - wz
    s = math.sqrt(min(max(1.0 - z * z, 0.0), 1.0))
    hx, hy, hz = ax * (s * math.cos(phi) + wx), ay * (s * math.sin(phi) + wy), max(z + wz, 1e-9)
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    return hx / length, hy / length, hz / length


@device
def seen_density(
    ox: float, oy: float, oz: float, hx: float, hy: float, hz: float, ax: float, ay: float
) -> float:
    """Density of :func:`sample_half` over the half vector's solid angle: G1(o) max(o.h, 0) D(h) / cos(o)."""
    oh = max(ox * hx + oy * hy + oz * hz, 0.0)
    return oh * distribution(hx, hy, hz, ax, ay) / ((1.0 + hidden(ox, oy, oz, ax, ay)) * max(oz, 1e-7))


@device
def reflect_density(
    ox: float, oy: float, oz: float, hx: float, hy: float, hz: float, ax: float, ay: float
) -> float:
    """Density over solid angle of the direction that o is reflected to: that of the half vector over 4 (o.h)."""
    return distribution(hx, hy, hz, ax, ay) / ((1.0 + hidden(ox, oy, oz, ax, ay)) * 4.0 * max(oz, 1e-7))


@device
def reflected(
    ox: float,
    oy: float,
    oz: float,
    ix: float,
    iy: float,
    iz: float,
    hx: float,
    hy: float,
    hz: float,
    ax: float,
    ay: float,
) -> float:
    """D G2 / (4 cos o cos i) with heights correlated (Heitz 2014, equation 99), without Fresnel."""
    masked = 1.0 + hidden(ox, oy, oz, ax, ay) + hidden(ix, iy, iz, ax, ay)
    return distribution(hx, hy, hz, ax, ay) / (masked * 4.0 * max(oz * iz, 1e-12))


@device
def refract(
    ox: float, oy: float, oz: float, hx: float, hy: float, hz: float, eta: float
) -> tuple[float, float, float, bool]:
    """The direction that o goes on to through a facet (Walter et al. 2007, equation 40); False where all
    light is reflected. ``eta``: index beyond over index here.
    """
    c = ox * hx + oy * hy + oz * hz
    inverse = 1.0 / eta
    k = 1.0 - inverse * inverse * (1.0 - c * c)
    if k <= 0.0:
        return 0.0, 0.0, -1.0, False
    scale = inverse * c - math.sqrt(k)
    return scale * hx - inverse * ox, scale * hy - inverse * oy, scale * hz - inverse * oz, True


@device
def refracted(
    ox: float, oy: float, oz: float, ix: float, iy: float, iz: float, ax: float, ay: float, eta: float
) -> tuple[float, float, float]:
    """Transmission through rough dielectric, without Fresnel and without the change of radiance with the
    index: value x |cos i|, its density, and o.h.

    Walter et al. 2007, equation 21, with the eta^2 of radiance left out (a path that comes out again has it
    cancelled), masking separable.
    """
    hx, hy, hz = ox + eta * ix, oy + eta * iy, oz + eta * iz
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    if length < 1e-12:
        return 0.0, 0.0, 0.0
    sign = 1.0 if hz > 0.0 else -1.0
    hx, hy, hz = sign * hx / length, sign * hy / length, sign * hz / length
    oh, ih = ox * hx + oy * hy + oz * hz, ix * hx + iy * hy + iz * hz
    if oh <= 1e-9 or ih >= -1e-9:
        return 0.0, 0.0, 0.0
    bottom = oh + eta * ih
    jacobian = eta * eta * -ih / max(bottom * bottom, 1e-18)
    density = seen_density(ox, oy, oz, hx, hy, hz, ax, ay) * jacobian
    masked = 1.0 / (1.0 + hidden(ix, iy, -iz, ax, ay))
    return density * masked, density, oh
