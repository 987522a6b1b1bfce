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
from trasloco.render.closures.film import film_over_metal, filmed
from trasloco.render.closures.fresnel import dielectric, f82
from trasloco.render.closures.ggx import (
    distribution,
    hidden,
    reflect_density,
    reflected,
    refract,
    refracted,
    sample_half,
)
from trasloco.render.closures.sheen import sheen
from trasloco.render.closures.tables import table2, table3, table4
from trasloco.render.sampling import basis, cosine_direction

# What a surface is at a hit, filled in before :func:`weigh`.
COLOR, METAL, ROUGH_X, ROUGH_Y, INDEX, TINT = 0, 3, 4, 5, 6, 8
COAT, COAT_ALPHA, COAT_COLOR, COAT_DARKENING = 11, 12, 13, 16
SHEEN, SHEEN_ROUGHNESS, DULL_ROUGHNESS = 17, 20, 21
THROUGH, SOLID, BEHIND = 22, 23, 24
TRANSLUCENT, TRANSLUCENT_COLOR, BELOW = 25, 26, 29
T, B, N, G, CN = 30, 33, 36, 39, 42
VIEWER = 45
# What :func:`weigh` works out.
LO, W_SHEEN, W_COAT, W_METAL, W_GLASS, W_DULL, W_BACK, W_THROUGH = 48, 51, 54, 55, 56, 57, 58, 59
E_EO, K_METAL, ETA, OUTER, THIN, SUBSURFACE = 60, 61, 64, 65, 68, 69
P_SHEEN, P_COAT, P_SHINE, P_DULL, P_BACK, P_THROUGH = 70, 71, 72, 73, 74, 75
# A film over the boundary (filled in before), and by colour what it leaves to what lies below, over what the
# bare boundary leaves (worked out).
FILM, FILM_INDEX, FILM_NM, UNDER = 76, 77, 78, 79
# Which light a path carries through what bends colours apart: red (-1), all or green (0), blue (1).
WAVE = 82
LENGTH = 83

COAT_INDEX = 1.5
LEAST_INDEX = 1.002
_COAT_INSIDE = 1.0 - (1.0 - 0.0918) / (COAT_INDEX * COAT_INDEX)
"""Share of diffuse light that the coat's boundary sends back inside: 1 - (1 - E) / n^2 with E = 0.0918, the
mean reflectance of index 1.5 from outside (OpenPBR, coat darkening).
"""
_FACETS = 12
"""Facets whose mean says what a film leaves to what lies below."""
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
    ox, oy, oz = s[VIEWER], s[VIEWER + 1], s[VIEWER + 2]
    lx, ly = ox * s[T] + oy * s[T + 1] + oz * s[T + 2], ox * s[B] + oy * s[B + 1] + oz * s[B + 2]
    lz = max(ox * s[N] + oy * s[N + 1] + oz * s[N + 2], 1e-4)
    length = math.sqrt(lx * lx + ly * ly + lz * lz)
    lx, ly, lz = lx / length, ly / length, lz / length
    s[LO], s[LO + 1], s[LO + 2] = lx, ly, lz
    alpha = math.sqrt(s[ROUGH_X] * s[ROUGH_Y])
    whole_r, whole_g, whole_b = 1.0, 1.0, 1.0
    strongest = max(s[SHEEN], s[SHEEN + 1], s[SHEEN + 2])
    s[W_SHEEN], s[P_SHEEN] = 0.0, 0.0
    if strongest > 0.0:
        e = table2(cloth, lz, s[SHEEN_ROUGHNESS] * s[SHEEN_ROUGHNESS])
        # The visibility term of KHR_materials_sheen gains light at grazing angles: held to what comes in.
        s[W_SHEEN] = 1.0 / max(e, 1.0)
        e = min(e, 1.0)
        s[P_SHEEN] = e * strongest
        whole_r = whole_g = whole_b = 1.0 - strongest * e
    s[W_COAT], s[P_COAT] = 0.0, 0.0
    # A boundary that bends nothing has no half vector; light goes through one that is nearly so all the same.
    index = max(s[INDEX], LEAST_INDEX) if s[SOLID] != 0.0 and s[THROUGH] > 0.0 else s[INDEX]
    inside = s[SOLID] != 0.0 and s[BEHIND] != 0.0
    side = 1 if inside else 0
    e1 = table2(metal, lz, alpha)
    er = table3(back, side, lz, alpha, index)
    if s[ROUGH_X] != s[ROUGH_Y]:
        apart = table4(brushed, lx, ly, lz, s[ROUGH_X], s[ROUGH_Y])
        er *= apart / e1
        e1 = apart
    et = table3(on, side, lz, alpha, index)
    f0 = ((index - 1.0) / (index + 1.0)) ** 2
    # What is lost between facets is given back: as for a metal of the same reflectance where light is lost
    # below, as for both together where it goes on.
    through = s[THROUGH]
    give = (1.0 - through) * (1.0 + f0 * (1.0 - e1) / e1) + through / max(er + et, 1e-6)
    ed = min(er * give, 1.0)
    s[UNDER], s[UNDER + 1], s[UNDER + 2] = 1.0, 1.0, 1.0
    if s[FILM] > 0.0:
        _leave_under(s, lx, ly, lz, ed, 1.0 / index if inside else index)
    if s[COAT] > 0.0:
        cz = max(ox * s[CN] + oy * s[CN + 1] + oz * s[CN + 2], 1e-3)
        ec1 = table2(metal, cz, s[COAT_ALPHA])
        fc = 0.04
        gain = 1.0 + fc * (1.0 - ec1) / ec1
        ec = min(table3(back, 0, cz, s[COAT_ALPHA], COAT_INDEX) * gain, 1.0)
        s[W_COAT] = s[COAT] * gain * whole_r
        s[P_COAT] = s[COAT] * ec * whole_r
        keep = 1.0 - s[COAT] * ec
        inner = (1.0 - math.sqrt(alpha)) * dielectric(cz, COAT_INDEX) + math.sqrt(alpha) * _COAT_INSIDE
        for k in range(3):
            less = (1.0 - ed) * s[UNDER + k]
            below = s[METAL] * s[COLOR + k] + (1.0 - s[METAL]) * (1.0 - less + less * s[COLOR + k])
            dark = (1.0 - inner) / max(1.0 - below * inner, 1e-6)
            s[OUTER + k] = keep * (1.0 + s[COAT] * s[COAT_DARKENING] * (dark - 1.0))
        whole_r, whole_g, whole_b = whole_r * s[OUTER], whole_g * s[OUTER + 1], whole_b * s[OUTER + 2]
    s[OUTER], s[OUTER + 1], s[OUTER + 2] = whole_r, whole_g, whole_b
    not_metal = 1.0 - s[METAL]
    s[W_METAL] = s[METAL]
    s[W_GLASS] = not_metal * give
    for k in range(3):
        s[K_METAL + k] = 1.0 + s[COLOR + k] * (1.0 - e1) / e1
    s[ETA] = 1.0 / index if inside else index
    rest = not_metal * (1.0 - ed)
    below = rest * (1.0 - through)
    s[SUBSURFACE] = below * s[BELOW]
    s[W_DULL] = below * (1.0 - s[BELOW]) * (1.0 - s[TRANSLUCENT])
    s[W_BACK] = below * (1.0 - s[BELOW]) * s[TRANSLUCENT]
    s[E_EO] = dull.fujii_albedo(lz, s[DULL_ROUGHNESS])
    s[THIN], s[W_THROUGH] = 0.0, 0.0
    if through > 0.0:
        if s[SOLID] == 0.0 and alpha <= SMOOTH_THIN_ALPHA:
            s[THIN] = rest * through
        elif s[SOLID] == 0.0:
            s[W_THROUGH] = rest * through / max(e1 - er, 1e-4)
        else:
            s[W_THROUGH] = rest * through / max(et, 1e-6) if et > 1e-6 else 0.0
    light = _luminance(s[COLOR], s[COLOR + 1], s[COLOR + 2])
    all_over = max(whole_r, whole_g, whole_b)
    s[P_SHINE] = all_over * (s[METAL] * light + not_metal * ed)
    s[P_DULL] = all_over * s[W_DULL] * light
    s[P_BACK] = (
        all_over
        * s[W_BACK]
        * _luminance(s[TRANSLUCENT_COLOR], s[TRANSLUCENT_COLOR + 1], s[TRANSLUCENT_COLOR + 2])
    )
    s[P_THROUGH] = all_over * rest * through * light if s[W_THROUGH] > 0.0 else 0.0
    total = s[P_SHEEN] + s[P_COAT] + s[P_SHINE] + s[P_DULL] + s[P_BACK] + s[P_THROUGH]
    floor = 0.06 * total + 1e-9
    again = 0.0
    for k in range(P_SHEEN, P_THROUGH + 1):
        if s[k] > 0.0 or k == P_SHINE:
            s[k] = max(s[k], floor)
        again += s[k]
    for k in range(P_SHEEN, P_THROUGH + 1):
        s[k] /= again


@kernel
def _leave_under(s: Any, lx: float, ly: float, lz: float, ed: float, eta: float) -> None:
    """What lies below a film gets by colour: its boundary sends back as much more than a bare one as facets
    that are seen do in the mean.
    """
    bare, r, g, b = 0.0, 0.0, 0.0, 0.0
    a = hidden(lx, ly, lz, s[ROUGH_X], s[ROUGH_Y])
    for m in range(_FACETS):
        around, outward = (0.5 + 0.618034 * m) % 1.0, (m + 0.5) / _FACETS
        hx, hy, hz = sample_half(lx, ly, lz, s[ROUGH_X], s[ROUGH_Y], around, outward)
        c = max(lx * hx + ly * hy + lz * hz, 1e-4)
        one = dielectric(c, eta)
        ix, iy, iz = 2.0 * c * hx - lx, 2.0 * c * hy - ly, 2.0 * c * hz - lz
        if iz <= 0.0:
            continue
        seen = (1.0 + a) / (1.0 + a + hidden(ix, iy, iz, s[ROUGH_X], s[ROUGH_Y]))
        fr, fg, fb = filmed(one, s[FILM], c, eta, s[FILM_INDEX], s[FILM_NM])
        bare, r, g, b = bare + seen * one, r + seen * fr, g + seen * fg, b + seen * fb
    for k, film in enumerate((r, g, b)):
        sent = min(ed * film / max(bare, 1e-9), 1.0)
        s[UNDER + k] = (1.0 - sent) / max(1.0 - ed, 1e-6)


@device
def already_lit(s: Any) -> None:
    """The dull part is told what light it receives and gathers none; the chances of the rest are shared out
    anew.
    """
    s[W_DULL] = 0.0
    rest = 1.0 - s[P_DULL]
    s[P_DULL] = 0.0
    for k in range(P_SHEEN, P_THROUGH + 1):
        s[k] /= max(rest, 1e-9)


@device
def two_sided(s: Any) -> bool:
    """Whether light can leave on the other side."""
    return s[W_BACK] > 0.0 or s[W_THROUGH] > 0.0


@device
def _boundary(s: Any, oh: float) -> tuple[float, float, float]:
    """What the base's boundary sends back at a facet, rgb, with the film that may lie on it."""
    bare = dielectric(oh, s[ETA])
    if s[FILM] > 0.0:
        return filmed(bare, s[FILM], oh, s[ETA], s[FILM_INDEX], s[FILM_NM])
    return bare, bare, bare


@kernel
def scatter(s: Any, ix: float, iy: float, iz: float) -> tuple[float, float, float, float]:
    """Reflectance or transmittance times |cosine| towards a world direction, rgb, and the density with which
    :func:`sampled` picks it.
    """
    lx, ly, lz = (
        ix * s[T] + iy * s[T + 1] + iz * s[T + 2],
        ix * s[B] + iy * s[B + 1] + iz * s[B + 2],
        ix * s[N] + iy * s[N + 1] + iz * s[N + 2],
    )
    up = ix * s[G] + iy * s[G + 1] + iz * s[G + 2] > 0.0
    ox, oy, oz = s[LO], s[LO + 1], s[LO + 2]
    ax, ay = s[ROUGH_X], s[ROUGH_Y]
    r, g, b, density = 0.0, 0.0, 0.0, 0.0
    if not up:
        if lz > -1e-6:
            return 0.0, 0.0, 0.0, 0.0
        if s[W_BACK] > 0.0:
            value = s[W_BACK] * -lz / math.pi
            r, g, b = (
                value * s[TRANSLUCENT_COLOR] * s[UNDER],
                value * s[TRANSLUCENT_COLOR + 1] * s[UNDER + 1],
                value * s[TRANSLUCENT_COLOR + 2] * s[UNDER + 2],
            )
            density = s[P_BACK] * -lz / math.pi
        if s[W_THROUGH] > 0.0 and s[SOLID] != 0.0:
            value, chance, oh = refracted(ox, oy, oz, lx, ly, lz, ax, ay, s[ETA])
            value *= s[W_THROUGH]
            fr, fg, fb = _boundary(s, oh)
            r, g, b = (
                r + value * (1.0 - fr) * s[COLOR],
                g + value * (1.0 - fg) * s[COLOR + 1],
                b + value * (1.0 - fb) * s[COLOR + 2],
            )
            density += s[P_THROUGH] * chance
        elif s[W_THROUGH] > 0.0:
            hx, hy, hz = ox + lx, oy + ly, oz - lz
            length = math.sqrt(hx * hx + hy * hy + hz * hz)
            hx, hy, hz = hx / length, hy / length, hz / length
            fr, fg, fb = _boundary(s, max(ox * hx + oy * hy + oz * hz, 0.0))
            value = s[W_THROUGH] * reflected(ox, oy, oz, lx, ly, -lz, hx, hy, hz, ax, ay) * -lz
            r, g, b = (
                r + value * (1.0 - fr) * s[COLOR],
                g + value * (1.0 - fg) * s[COLOR + 1],
                b + value * (1.0 - fb) * s[COLOR + 2],
            )
            density += s[P_THROUGH] * reflect_density(ox, oy, oz, hx, hy, hz, ax, ay)
        return r * s[OUTER], g * s[OUTER + 1], b * s[OUTER + 2], density
    if lz <= 1e-6:
        return 0.0, 0.0, 0.0, 0.0
    hx, hy, hz = ox + lx, oy + ly, oz + lz
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    hx, hy, hz = hx / length, hy / length, hz / length
    oh = max(ox * hx + oy * hy + oz * hz, 0.0)
    shape = reflected(ox, oy, oz, lx, ly, lz, hx, hy, hz, ax, ay)
    density = s[P_SHINE] * reflect_density(ox, oy, oz, hx, hy, hz, ax, ay)
    if s[W_GLASS] > 0.0:
        fr, fg, fb = _boundary(s, oh)
        glass = s[W_GLASS] * shape
        r, g, b = glass * fr * s[TINT], glass * fg * s[TINT + 1], glass * fb * s[TINT + 2]
    if s[W_METAL] > 0.0:
        shape *= s[W_METAL]
        fr, fg, fb = (
            f82(s[COLOR], s[TINT], oh),
            f82(s[COLOR + 1], s[TINT + 1], oh),
            f82(s[COLOR + 2], s[TINT + 2], oh),
        )
        if s[FILM] > 0.0:
            ir, ig, ib = film_over_metal(oh, s[COLOR], s[COLOR + 1], s[COLOR + 2], s[FILM_INDEX], s[FILM_NM])
            fr, fg, fb = fr + s[FILM] * (ir - fr), fg + s[FILM] * (ig - fg), fb + s[FILM] * (ib - fb)
        r, g, b = (
            r + shape * s[K_METAL] * fr,
            g + shape * s[K_METAL + 1] * fg,
            b + shape * s[K_METAL + 2] * fb,
        )
    if s[W_DULL] > 0.0:
        rough = s[DULL_ROUGHNESS]
        w = s[W_DULL]
        if rough > 0.0:
            ei = dull.fujii_albedo(lz, rough)
            oi = ox * lx + oy * ly + oz * lz
            r += w * s[UNDER] * dull.rough_diffuse(s[COLOR], rough, oi, oz, lz, s[E_EO], ei)
            g += w * s[UNDER + 1] * dull.rough_diffuse(s[COLOR + 1], rough, oi, oz, lz, s[E_EO], ei)
            b += w * s[UNDER + 2] * dull.rough_diffuse(s[COLOR + 2], rough, oi, oz, lz, s[E_EO], ei)
        else:
            r, g, b = (
                r + w * s[UNDER] * s[COLOR] / math.pi,
                g + w * s[UNDER + 1] * s[COLOR + 1] / math.pi,
                b + w * s[UNDER + 2] * s[COLOR + 2] / math.pi,
            )
        density += s[P_DULL] * lz / math.pi
    r, g, b = r * s[OUTER], g * s[OUTER + 1], b * s[OUTER + 2]
    if s[W_COAT] > 0.0:
        cr, cg, cb, coat, chance = _coat(s, ix, iy, iz)
        r, g, b, density = r * cr + coat, g * cg + coat, b * cb + coat, density + chance
    if s[W_SHEEN] > 0.0:
        value = s[W_SHEEN] * sheen(ox, oy, oz, lx, ly, lz, s[SHEEN_ROUGHNESS])
        r, g, b = r + value * s[SHEEN], g + value * s[SHEEN + 1], b + value * s[SHEEN + 2]
        density += s[P_SHEEN] * lz / math.pi
    return r * lz, g * lz, b * lz, density


@device
def _coat(s: Any, ix: float, iy: float, iz: float) -> tuple[float, float, float, float, float]:
    """What the coat lets to and from below by its colour, rgb; its own reflection without cosine of the base;
    its density. The coat has a normal of its own.
    """
    oz = max(s[VIEWER] * s[CN] + s[VIEWER + 1] * s[CN + 1] + s[VIEWER + 2] * s[CN + 2], 1e-3)
    cz = ix * s[CN] + iy * s[CN + 1] + iz * s[CN + 2]
    r, g, b = 1.0, 1.0, 1.0
    if s[COAT_COLOR] < 1.0 or s[COAT_COLOR + 1] < 1.0 or s[COAT_COLOR + 2] < 1.0:
        # Straight down and up again the colour is met once in all; slanted ways are longer (OpenPBR, coat:
        # absorption).
        way = 0.5 * (_longer(oz) + _longer(max(cz, 1e-3)))
        r = 1.0 + s[COAT] * (math.pow(max(s[COAT_COLOR], 1e-6), way) - 1.0)
        g = 1.0 + s[COAT] * (math.pow(max(s[COAT_COLOR + 1], 1e-6), way) - 1.0)
        b = 1.0 + s[COAT] * (math.pow(max(s[COAT_COLOR + 2], 1e-6), way) - 1.0)
    if cz <= 1e-6:
        return r, g, b, 0.0, 0.0
    hx, hy, hz = s[VIEWER] + ix, s[VIEWER + 1] + iy, s[VIEWER + 2] + iz
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    hx, hy, hz = hx / length, hy / length, hz / length
    oh = max(s[VIEWER] * hx + s[VIEWER + 1] * hy + s[VIEWER + 2] * hz, 0.0)
    nh = min(hx * s[CN] + hy * s[CN + 1] + hz * s[CN + 2], 1.0)
    if nh <= 0.0:
        return r, g, b, 0.0, 0.0
    alpha = s[COAT_ALPHA]
    side = math.sqrt(max(1.0 - nh * nh, 0.0))
    d = distribution(side, 0.0, nh, alpha, alpha)
    lo, li = (
        hidden(math.sqrt(max(1.0 - oz * oz, 0.0)), 0.0, oz, alpha, alpha),
        hidden(math.sqrt(max(1.0 - cz * cz, 0.0)), 0.0, cz, alpha, alpha),
    )
    # The cosine of the coat's own normal, over that of the base which the sum is multiplied with.
    lz = max(ix * s[N] + iy * s[N + 1] + iz * s[N + 2], 1e-6)
    value = s[W_COAT] * dielectric(oh, COAT_INDEX) * d / ((1.0 + lo + li) * 4.0 * oz * lz)
    return r, g, b, value, s[P_COAT] * d / ((1.0 + lo) * 4.0 * oz)


@device
def _longer(cosine: float) -> float:
    return 1.0 / math.sqrt(1.0 - (1.0 - cosine * cosine) / (COAT_INDEX * COAT_INDEX))


@kernel
def sampled(s: Any, choose: float, u: float, v: float) -> tuple[float, float, float, bool]:
    """A world direction by the closures' chances, and whether it spreads wide; the zero vector where light
    cannot go on.
    """
    ox, oy, oz = s[LO], s[LO + 1], s[LO + 2]
    x, y, z = 0.0, 0.0, 0.0
    wide = False
    c = choose
    if c < s[P_SHEEN] + s[P_DULL]:
        x, y, z = cosine_direction(u, v)
        wide = True
    elif c < s[P_SHEEN] + s[P_DULL] + s[P_BACK]:
        x, y, z = cosine_direction(u, v)
        z = -z
        wide = True
    elif c < s[P_SHEEN] + s[P_DULL] + s[P_BACK] + s[P_COAT]:
        t0, t1, t2, b0, b1, b2 = basis(s[CN], s[CN + 1], s[CN + 2])
        wx, wy = (
            s[VIEWER] * t0 + s[VIEWER + 1] * t1 + s[VIEWER + 2] * t2,
            s[VIEWER] * b0 + s[VIEWER + 1] * b1 + s[VIEWER + 2] * b2,
        )
        wz = max(s[VIEWER] * s[CN] + s[VIEWER + 1] * s[CN + 1] + s[VIEWER + 2] * s[CN + 2], 1e-3)
        hx, hy, hz = sample_half(wx, wy, wz, s[COAT_ALPHA], s[COAT_ALPHA], u, v)
        d = 2.0 * (wx * hx + wy * hy + wz * hz)
        x, y, z = d * hx - wx, d * hy - wy, d * hz - wz
        if (x * t0 + y * b0 + z * s[CN]) * s[N] + (x * t1 + y * b1 + z * s[CN + 1]) * s[N + 1] + (
            x * t2 + y * b2 + z * s[CN + 2]
        ) * s[N + 2] <= 0.0:
            return 0.0, 0.0, 0.0, False
        return (
            x * t0 + y * b0 + z * s[CN],
            x * t1 + y * b1 + z * s[CN + 1],
            x * t2 + y * b2 + z * s[CN + 2],
            False,
        )
    else:
        hx, hy, hz = sample_half(ox, oy, oz, s[ROUGH_X], s[ROUGH_Y], u, v)
        through = c >= 1.0 - s[P_THROUGH]
        if through and s[SOLID] != 0.0:
            x, y, z, goes = refract(ox, oy, oz, hx, hy, hz, s[ETA])
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
        x * s[T] + y * s[B] + z * s[N],
        x * s[T + 1] + y * s[B + 1] + z * s[N + 1],
        x * s[T + 2] + y * s[B + 2] + z * s[N + 2],
        wide,
    )
