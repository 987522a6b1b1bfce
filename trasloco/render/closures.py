"""How surfaces scatter light: Lambert diffuse under GGX reflection, with a clear coat.

Directions are in the shading frame, +Z along the normal. The layering is that of glTF 2.0, appendix B: dielectric and metal
mixed by metalness, the coat on top taking its Fresnel share (KHR_materials_clearcoat).
"""

from __future__ import annotations

import math

from trasloco.rays.compiled import device

MIN_ALPHA = 1e-3


@device
def schlick(f0: float, cosine: float) -> float:
    """Schlick 1994: f0 + (1 - f0)(1 - cos)^5."""
    m = 1.0 - cosine
    m = min(max(m, 0.0), 1.0)
    m2 = m * m
    return f0 + (1.0 - f0) * m2 * m2 * m


@device
def ggx_distribution(nh: float, alpha: float) -> float:
    """Trowbridge-Reitz distribution (Walter et al. 2007, equation 33)."""
    a2 = alpha * alpha
    d = nh * nh * (a2 - 1.0) + 1.0
    return a2 / (math.pi * d * d)


@device
def smith_lambda(cosine: float, alpha: float) -> float:
    """Smith's auxiliary function for GGX (Heitz 2014, equation 72)."""
    c2 = cosine * cosine
    return 0.5 * (math.sqrt(1.0 + alpha * alpha * (1.0 - c2) / max(c2, 1e-12)) - 1.0)


@device
def ggx_sample(ox: float, oy: float, oz: float, alpha: float, u: float, v: float) -> tuple[float, float, float]:
    """A visible half vector for the outgoing direction (Dupuy and Benyoub 2023, spherical caps)."""
    wx, wy, wz = alpha * ox, alpha * oy, oz
    length = math.sqrt(wx * wx + wy * wy + wz * wz)
    wx, wy, wz = wx / length, wy / length, wz / length
    phi = 2.0 * math.pi * u
    z = (1.0 - v) * (1.0 + wz) - wz
    s = math.sqrt(min(max(1.0 - z * z, 0.0), 1.0))
    hx, hy, hz = s * math.cos(phi) + wx, s * math.sin(phi) + wy, z + wz
    hx, hy, hz = alpha * hx, alpha * hy, max(hz, 1e-9)
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    return hx / length, hy / length, hz / length


@device
def ggx_density(oz: float, nh: float, alpha: float) -> float:
    """Solid-angle density of the reflected direction under :func:`ggx_sample`: D * G1 / (4 cos(o))."""
    return ggx_distribution(nh, alpha) / ((1.0 + smith_lambda(oz, alpha)) * 4.0 * max(oz, 1e-6))


@device
def lobe_shares(oz: float, base_luminance: float, metalness: float, dielectric_f0: float, coat: float) -> tuple[float, float, float]:
    """Chances of sampling diffuse, reflection and coat, by their estimated albedo."""
    coat_share = coat * schlick(0.04, oz)
    f0 = dielectric_f0 * (1.0 - metalness) + base_luminance * metalness
    reflect = (1.0 - coat_share) * schlick(f0, oz)
    diffuse = (1.0 - coat_share) * (1.0 - metalness) * base_luminance * (1.0 - schlick(dielectric_f0, oz))
    total = diffuse + reflect + coat_share
    if total <= 0.0:
        return 0.0, 1.0, 0.0
    floor = 0.1 if diffuse > 0.0 else 0.0
    diffuse = max(diffuse / total, floor)
    reflect = max(reflect / total, 0.1)
    coat_share = max(coat_share / total, 0.1) if coat > 0.0 else 0.0
    total = diffuse + reflect + coat_share
    return diffuse / total, reflect / total, coat_share / total


@device
def scatter(
    ox: float, oy: float, oz: float, ix: float, iy: float, iz: float,
    r: float, g: float, b: float, metalness: float, alpha: float, f0r: float, f0g: float, f0b: float, f90: float, coat: float, coat_alpha: float, diffuse_weight: float,
) -> tuple[float, float, float, float]:
    """Reflectance times cosine for (o, i) as rgb, and the density with which :func:`lobe_shares` and the lobes sample i.

    Zero when either direction is below the surface. ``f0*`` and ``f90`` are the dielectric's; metals use the base colour.
    """
    if oz <= 1e-5 or iz <= 1e-5:
        return 0.0, 0.0, 0.0, 0.0
    hx, hy, hz = ox + ix, oy + iy, oz + iz
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    if length < 1e-9:
        return 0.0, 0.0, 0.0, 0.0
    hx, hy, hz = hx / length, hy / length, hz / length
    oh = max(ox * hx + oy * hy + oz * hz, 0.0)
    lambdas = 1.0 + smith_lambda(oz, alpha) + smith_lambda(iz, alpha)
    specular = ggx_distribution(hz, alpha) / (lambdas * 4.0 * oz * iz)
    m = 1.0 - oh
    m5 = m * m * m * m * m
    dielectric = 1.0 - metalness
    outer = 1.0
    coat_value = 0.0
    if coat > 0.0:
        outer = 1.0 - coat * schlick(0.04, oh)
        coat_lambdas = 1.0 + smith_lambda(oz, coat_alpha) + smith_lambda(iz, coat_alpha)
        coat_value = coat * schlick(0.04, oh) * ggx_distribution(hz, coat_alpha) / (coat_lambdas * 4.0 * oz * iz)
    lambert = diffuse_weight / math.pi
    fr, fg, fb = f0r + (f90 - f0r) * m5, f0g + (f90 - f0g) * m5, f0b + (f90 - f0b) * m5
    strongest = max(fr, fg, fb)
    vr = dielectric * (r * lambert * (1.0 - strongest) + fr * specular) + metalness * (r + (1.0 - r) * m5) * specular
    vg = dielectric * (g * lambert * (1.0 - strongest) + fg * specular) + metalness * (g + (1.0 - g) * m5) * specular
    vb = dielectric * (b * lambert * (1.0 - strongest) + fb * specular) + metalness * (b + (1.0 - b) * m5) * specular
    luminance = 0.2126 * r + 0.7152 * g + 0.0722 * b
    pd, ps, pc = lobe_shares(oz, luminance * diffuse_weight if metalness < 1.0 else luminance, metalness, 0.3333 * (f0r + f0g + f0b), coat)
    density = pd * iz / math.pi + ps * ggx_density(oz, hz, alpha)
    if coat > 0.0:
        density += pc * ggx_density(oz, hz, coat_alpha)
    return (vr * outer + coat_value) * iz, (vg * outer + coat_value) * iz, (vb * outer + coat_value) * iz, density
