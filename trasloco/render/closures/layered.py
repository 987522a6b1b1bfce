"""Closures over one another, as OpenPBR Surface 1.1 layers them: sheen, clear coat, then metal beside
dielectric over dull, see-through or translucent insides.

A lower layer gets what the ones above leave of the light coming from the viewer's side (albedo scaling). The
layering is weighed by the
viewer's side alone, as OpenPBR's own implementation notes do, so that layered surfaces are not reciprocal;
nor is sheen where it is held to the light that comes in. Everything of a hit stands in one record, a row of
numbers, so that the large functions
here are called and not inlined.
"""

from __future__ import annotations

import math
from typing import Any

from trasloco.rays.compiled import device, kernel
from trasloco.render.closures import diffuse as dull
from trasloco.render.closures import record
from trasloco.render.closures.boundary import boundary, leave_under, metal_boundary
from trasloco.render.closures.coat import COAT_INDEX, coat
from trasloco.render.closures.fresnel import dielectric
from trasloco.render.closures.ggx import (
    reflect_density,
    reflected,
    refract,
    refracted,
    sample_half,
)
from trasloco.render.closures.sheen import sheen
from trasloco.render.closures.tables import table2, table3, table4
from trasloco.render.sampling import basis, cosine_direction

LEAST_INDEX = 1.002
_COAT_INSIDE = 1.0 - (1.0 - 0.0918) / (COAT_INDEX * COAT_INDEX)
"""Share of diffuse light that the coat's boundary sends back inside: 1 - (1 - E) / n^2 with E = 0.0918, the
mean reflectance of index 1.5 from outside (OpenPBR, coat darkening).
"""
SMOOTH_THIN_ALPHA = 0.01
"""Thin sheets with less than this let light straight on; rougher ones spread it."""


@device
def _luminance(r: float, g: float, b: float) -> float:
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


@kernel
def weigh(s: Any, metal: Any, back: Any, on: Any, cloth: Any, brushed: Any) -> None:
    """From what the surface is, and where it is seen from, to the weight of each closure and the chance of
    sampling it. Tables are those of :class:`Albedos`.
    """
    ox, oy, oz = s[record.VIEWER], s[record.VIEWER + 1], s[record.VIEWER + 2]
    lx, ly = (
        ox * s[record.T] + oy * s[record.T + 1] + oz * s[record.T + 2],
        ox * s[record.B] + oy * s[record.B + 1] + oz * s[record.B + 2],
    )
    lz = max(ox * s[record.N] + oy * s[record.N + 1] + oz * s[record.N + 2], 1e-4)
    length = math.sqrt(lx * lx + ly * ly + lz * lz)
    lx, ly, lz = lx / length, ly / length, lz / length
    s[record.LO], s[record.LO + 1], s[record.LO + 2] = lx, ly, lz
    alpha = math.sqrt(s[record.ROUGH_X] * s[record.ROUGH_Y])
    whole_r, whole_g, whole_b = 1.0, 1.0, 1.0
    strongest = max(s[record.SHEEN], s[record.SHEEN + 1], s[record.SHEEN + 2])
    s[record.W_SHEEN], s[record.P_SHEEN] = 0.0, 0.0
    if strongest > 0.0:
        e = table2(cloth, lz, s[record.SHEEN_ROUGHNESS] * s[record.SHEEN_ROUGHNESS])
        # The visibility term of KHR_materials_sheen gains light at grazing angles: held to what comes in.
        s[record.W_SHEEN] = 1.0 / max(e, 1.0)
        e = min(e, 1.0)
        s[record.P_SHEEN] = e * strongest
        whole_r = whole_g = whole_b = 1.0 - strongest * e
    s[record.W_COAT], s[record.P_COAT] = 0.0, 0.0
    # A boundary that bends nothing has no half vector; light goes through one that is nearly so all the same.
    index = (
        max(s[record.INDEX], LEAST_INDEX)
        if s[record.SOLID] != 0.0 and s[record.THROUGH] > 0.0
        else s[record.INDEX]
    )
    inside = s[record.SOLID] != 0.0 and s[record.BEHIND] != 0.0
    side = 1 if inside else 0
    e1 = table2(metal, lz, alpha)
    er = table3(back, side, lz, alpha, index)
    if s[record.ROUGH_X] != s[record.ROUGH_Y]:
        apart = table4(brushed, lx, ly, lz, s[record.ROUGH_X], s[record.ROUGH_Y])
        er *= apart / e1
        e1 = apart
    et = table3(on, side, lz, alpha, index)
    f0 = ((index - 1.0) / (index + 1.0)) ** 2
    # What is lost between facets is given back: as for a metal of the same reflectance where light is lost
    # below, as for both together where it goes on.
    through = s[record.THROUGH]
    give = (1.0 - through) * (1.0 + f0 * (1.0 - e1) / e1) + through / max(er + et, 1e-6)
    ed = min(er * give, 1.0)
    s[record.UNDER], s[record.UNDER + 1], s[record.UNDER + 2] = 1.0, 1.0, 1.0
    if s[record.FILM] > 0.0:
        leave_under(s, lx, ly, lz, ed, 1.0 / index if inside else index)
    if s[record.COAT] > 0.0:
        cz = max(ox * s[record.CN] + oy * s[record.CN + 1] + oz * s[record.CN + 2], 1e-3)
        ec1 = table2(metal, cz, s[record.COAT_ALPHA])
        fc = 0.04
        gain = 1.0 + fc * (1.0 - ec1) / ec1
        ec = min(table3(back, 0, cz, s[record.COAT_ALPHA], COAT_INDEX) * gain, 1.0)
        s[record.W_COAT] = s[record.COAT] * gain * whole_r
        s[record.P_COAT] = s[record.COAT] * ec * whole_r
        keep = 1.0 - s[record.COAT] * ec
        inner = (1.0 - math.sqrt(alpha)) * dielectric(cz, COAT_INDEX) + math.sqrt(alpha) * _COAT_INSIDE
        for k in range(3):
            less = (1.0 - ed) * s[record.UNDER + k]
            below = s[record.METAL] * s[record.COLOR + k] + (1.0 - s[record.METAL]) * (
                1.0 - less + less * s[record.COLOR + k]
            )
            dark = (1.0 - inner) / max(1.0 - below * inner, 1e-6)
            s[record.OUTER + k] = keep * (1.0 + s[record.COAT] * s[record.COAT_DARKENING] * (dark - 1.0))
        whole_r, whole_g, whole_b = (
            whole_r * s[record.OUTER],
            whole_g * s[record.OUTER + 1],
            whole_b * s[record.OUTER + 2],
        )
    s[record.OUTER], s[record.OUTER + 1], s[record.OUTER + 2] = whole_r, whole_g, whole_b
    not_metal = 1.0 - s[record.METAL]
    s[record.W_METAL] = s[record.METAL]
    s[record.W_GLASS] = not_metal * give
    for k in range(3):
        s[record.K_METAL + k] = 1.0 + s[record.COLOR + k] * (1.0 - e1) / e1
    s[record.ETA] = 1.0 / index if inside else index
    rest = not_metal * (1.0 - ed)
    below = rest * (1.0 - through)
    s[record.SUBSURFACE] = below * s[record.BELOW]
    s[record.W_DULL] = below * (1.0 - s[record.BELOW]) * (1.0 - s[record.TRANSLUCENT])
    s[record.W_BACK] = below * (1.0 - s[record.BELOW]) * s[record.TRANSLUCENT]
    s[record.E_EO] = dull.fujii_albedo(lz, s[record.DULL_ROUGHNESS])
    s[record.THIN], s[record.W_THROUGH] = 0.0, 0.0
    if through > 0.0:
        if s[record.SOLID] == 0.0 and alpha <= SMOOTH_THIN_ALPHA:
            s[record.THIN] = rest * through
        elif s[record.SOLID] == 0.0:
            s[record.W_THROUGH] = rest * through / max(e1 - er, 1e-4)
        else:
            s[record.W_THROUGH] = rest * through / max(et, 1e-6) if et > 1e-6 else 0.0
    light = _luminance(s[record.COLOR], s[record.COLOR + 1], s[record.COLOR + 2])
    all_over = max(whole_r, whole_g, whole_b)
    s[record.P_SHINE] = all_over * (s[record.METAL] * light + not_metal * ed)
    s[record.P_DULL] = all_over * s[record.W_DULL] * light
    s[record.P_BACK] = (
        all_over
        * s[record.W_BACK]
        * _luminance(
            s[record.TRANSLUCENT_COLOR], s[record.TRANSLUCENT_COLOR + 1], s[record.TRANSLUCENT_COLOR + 2]
        )
    )
    s[record.P_THROUGH] = all_over * rest * through * light if s[record.W_THROUGH] > 0.0 else 0.0
    total = (
        s[record.P_SHEEN]
        + s[record.P_COAT]
        + s[record.P_SHINE]
        + s[record.P_DULL]
        + s[record.P_BACK]
        + s[record.P_THROUGH]
    )
    floor = 0.06 * total + 1e-9
    again = 0.0
    for k in range(record.P_SHEEN, record.P_THROUGH + 1):
        if s[k] > 0.0 or k == record.P_SHINE:
            s[k] = max(s[k], floor)
        again += s[k]
    for k in range(record.P_SHEEN, record.P_THROUGH + 1):
        s[k] /= again


@device
def already_lit(s: Any) -> None:
    """The dull part is told what light it receives and gathers none; the chances of the rest are shared out
    anew.
    """
    s[record.W_DULL] = 0.0
    rest = 1.0 - s[record.P_DULL]
    s[record.P_DULL] = 0.0
    for k in range(record.P_SHEEN, record.P_THROUGH + 1):
        s[k] /= max(rest, 1e-9)


@device
def two_sided(s: Any) -> bool:
    """Whether light can leave on the other side."""
    return s[record.W_BACK] > 0.0 or s[record.W_THROUGH] > 0.0


@kernel
def scatter(s: Any, ix: float, iy: float, iz: float) -> tuple[float, float, float, float]:
    """Reflectance or transmittance times |cosine| towards a world direction, rgb, and the density with which
    :func:`sampled` picks it.
    """
    lx, ly, lz = (
        ix * s[record.T] + iy * s[record.T + 1] + iz * s[record.T + 2],
        ix * s[record.B] + iy * s[record.B + 1] + iz * s[record.B + 2],
        ix * s[record.N] + iy * s[record.N + 1] + iz * s[record.N + 2],
    )
    up = ix * s[record.G] + iy * s[record.G + 1] + iz * s[record.G + 2] > 0.0
    ox, oy, oz = s[record.LO], s[record.LO + 1], s[record.LO + 2]
    ax, ay = s[record.ROUGH_X], s[record.ROUGH_Y]
    r, g, b, density = 0.0, 0.0, 0.0, 0.0
    if not up:
        if lz > -1e-6:
            return 0.0, 0.0, 0.0, 0.0
        if s[record.W_BACK] > 0.0:
            value = s[record.W_BACK] * -lz / math.pi
            r, g, b = (
                value * s[record.TRANSLUCENT_COLOR] * s[record.UNDER],
                value * s[record.TRANSLUCENT_COLOR + 1] * s[record.UNDER + 1],
                value * s[record.TRANSLUCENT_COLOR + 2] * s[record.UNDER + 2],
            )
            density = s[record.P_BACK] * -lz / math.pi
        if s[record.W_THROUGH] > 0.0 and s[record.SOLID] != 0.0:
            value, chance, oh = refracted(ox, oy, oz, lx, ly, lz, ax, ay, s[record.ETA])
            value *= s[record.W_THROUGH]
            fr, fg, fb = boundary(s, oh)
            r, g, b = (
                r + value * (1.0 - fr) * s[record.COLOR],
                g + value * (1.0 - fg) * s[record.COLOR + 1],
                b + value * (1.0 - fb) * s[record.COLOR + 2],
            )
            density += s[record.P_THROUGH] * chance
        elif s[record.W_THROUGH] > 0.0:
            hx, hy, hz = ox + lx, oy + ly, oz - lz
            length = math.sqrt(hx * hx + hy * hy + hz * hz)
            hx, hy, hz = hx / length, hy / length, hz / length
            fr, fg, fb = boundary(s, max(ox * hx + oy * hy + oz * hz, 0.0))
            value = s[record.W_THROUGH] * reflected(ox, oy, oz, lx, ly, -lz, hx, hy, hz, ax, ay) * -lz
            r, g, b = (
                r + value * (1.0 - fr) * s[record.COLOR],
                g + value * (1.0 - fg) * s[record.COLOR + 1],
                b + value * (1.0 - fb) * s[record.COLOR + 2],
            )
            density += s[record.P_THROUGH] * reflect_density(ox, oy, oz, hx, hy, hz, ax, ay)
        return r * s[record.OUTER], g * s[record.OUTER + 1], b * s[record.OUTER + 2], density
    if lz <= 1e-6:
        return 0.0, 0.0, 0.0, 0.0
    hx, hy, hz = ox + lx, oy + ly, oz + lz
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    hx, hy, hz = hx / length, hy / length, hz / length
    oh = max(ox * hx + oy * hy + oz * hz, 0.0)
    shape = reflected(ox, oy, oz, lx, ly, lz, hx, hy, hz, ax, ay)
    density = s[record.P_SHINE] * reflect_density(ox, oy, oz, hx, hy, hz, ax, ay)
    if s[record.W_GLASS] > 0.0:
        fr, fg, fb = boundary(s, oh)
        glass = s[record.W_GLASS] * shape
        r, g, b = (
            glass * fr * s[record.TINT],
            glass * fg * s[record.TINT + 1],
            glass * fb * s[record.TINT + 2],
        )
    if s[record.W_METAL] > 0.0:
        shape *= s[record.W_METAL]
        fr, fg, fb = metal_boundary(s, oh)
        r, g, b = (
            r + shape * s[record.K_METAL] * fr,
            g + shape * s[record.K_METAL + 1] * fg,
            b + shape * s[record.K_METAL + 2] * fb,
        )
    if s[record.W_DULL] > 0.0:
        rough = s[record.DULL_ROUGHNESS]
        w = s[record.W_DULL]
        if rough > 0.0:
            ei = dull.fujii_albedo(lz, rough)
            oi = ox * lx + oy * ly + oz * lz
            r += (
                w
                * s[record.UNDER]
                * dull.rough_diffuse(s[record.COLOR], rough, oi, oz, lz, s[record.E_EO], ei)
            )
            g += (
                w
                * s[record.UNDER + 1]
                * dull.rough_diffuse(s[record.COLOR + 1], rough, oi, oz, lz, s[record.E_EO], ei)
            )
            b += (
                w
                * s[record.UNDER + 2]
                * dull.rough_diffuse(s[record.COLOR + 2], rough, oi, oz, lz, s[record.E_EO], ei)
            )
        else:
            r, g, b = (
                r + w * s[record.UNDER] * s[record.COLOR] / math.pi,
                g + w * s[record.UNDER + 1] * s[record.COLOR + 1] / math.pi,
                b + w * s[record.UNDER + 2] * s[record.COLOR + 2] / math.pi,
            )
        density += s[record.P_DULL] * lz / math.pi
    r, g, b = r * s[record.OUTER], g * s[record.OUTER + 1], b * s[record.OUTER + 2]
    if s[record.W_COAT] > 0.0:
        cr, cg, cb, own, chance = coat(s, ix, iy, iz)
        r, g, b, density = r * cr + own, g * cg + own, b * cb + own, density + chance
    if s[record.W_SHEEN] > 0.0:
        value = s[record.W_SHEEN] * sheen(ox, oy, oz, lx, ly, lz, s[record.SHEEN_ROUGHNESS])
        r, g, b = (
            r + value * s[record.SHEEN],
            g + value * s[record.SHEEN + 1],
            b + value * s[record.SHEEN + 2],
        )
        density += s[record.P_SHEEN] * lz / math.pi
    return r * lz, g * lz, b * lz, density


@kernel
def sampled(s: Any, choose: float, u: float, v: float) -> tuple[float, float, float, bool]:
    """A world direction by the closures' chances, and whether it spreads wide; the zero vector where light
    cannot go on.
    """
    ox, oy, oz = s[record.LO], s[record.LO + 1], s[record.LO + 2]
    x, y, z = 0.0, 0.0, 0.0
    wide = False
    c = choose
    if c < s[record.P_SHEEN] + s[record.P_DULL]:
        x, y, z = cosine_direction(u, v)
        wide = True
    elif c < s[record.P_SHEEN] + s[record.P_DULL] + s[record.P_BACK]:
        x, y, z = cosine_direction(u, v)
        z = -z
        wide = True
    elif c < s[record.P_SHEEN] + s[record.P_DULL] + s[record.P_BACK] + s[record.P_COAT]:
        t0, t1, t2, b0, b1, b2 = basis(s[record.CN], s[record.CN + 1], s[record.CN + 2])
        wx, wy = (
            s[record.VIEWER] * t0 + s[record.VIEWER + 1] * t1 + s[record.VIEWER + 2] * t2,
            s[record.VIEWER] * b0 + s[record.VIEWER + 1] * b1 + s[record.VIEWER + 2] * b2,
        )
        wz = max(
            s[record.VIEWER] * s[record.CN]
            + s[record.VIEWER + 1] * s[record.CN + 1]
            + s[record.VIEWER + 2] * s[record.CN + 2],
            1e-3,
        )
        hx, hy, hz = sample_half(wx, wy, wz, s[record.COAT_ALPHA], s[record.COAT_ALPHA], u, v)
        d = 2.0 * (wx * hx + wy * hy + wz * hz)
        x, y, z = d * hx - wx, d * hy - wy, d * hz - wz
        if (x * t0 + y * b0 + z * s[record.CN]) * s[record.N] + (x * t1 + y * b1 + z * s[record.CN + 1]) * s[
            record.N + 1
        ] + (x * t2 + y * b2 + z * s[record.CN + 2]) * s[record.N + 2] <= 0.0:
            return 0.0, 0.0, 0.0, False
        return (
            x * t0 + y * b0 + z * s[record.CN],
            x * t1 + y * b1 + z * s[record.CN + 1],
            x * t2 + y * b2 + z * s[record.CN + 2],
            False,
        )
    else:
        hx, hy, hz = sample_half(ox, oy, oz, s[record.ROUGH_X], s[record.ROUGH_Y], u, v)
        through = c >= 1.0 - s[record.P_THROUGH]
        if through and s[record.SOLID] != 0.0:
            x, y, z, goes = refract(ox, oy, oz, hx, hy, hz, s[record.ETA])
            if not goes or z >= 0.0:
                return 0.0, 0.0, 0.0, False
        else:
            d = 2.0 * (ox * hx + oy * hy + oz * hz)
            x, y, z = d * hx - ox, d * hy - oy, d * hz - oz
            if z <= 0.0:
                return 0.0, 0.0, 0.0, False
            if through:
                z = -z
    return (
        x * s[record.T] + y * s[record.B] + z * s[record.N],
        x * s[record.T + 1] + y * s[record.B + 1] + z * s[record.N + 1],
        x * s[record.T + 2] + y * s[record.B + 2] + z * s[record.N + 2],
        wide,
    )
