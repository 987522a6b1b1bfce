"""Light that comes straight to a hit: from a lamp, from what surrounds the scene, from something that glows;
and what of it goes on to the viewer.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from trasloco.rays.compiled import device, kernel
from trasloco.render.along import STRAIGHT, gathered
from trasloco.render.closures import record
from trasloco.render.closures.layered import scatter, two_sided
from trasloco.render.columns import (
    COS_RADIUS,
    EMISSION,
    KIND,
    LATER_LAYER,
    LAYER,
    POWER,
    SHADOWS,
    SIZE,
    SPOT,
    SUN,
)
from trasloco.render.lighting import (
    EPSILON,
    environment_towards,
    glow_point,
    light_at,
    passed,
    pick_light,
    sun_direction,
)
from trasloco.render.sampling import basis, random_pair
from trasloco.render.values import input3, material_of, uv_at

_ALL_LAMPS = 16
"""With at most so many lamps a texel is lit by each of them at every path; more are picked by chance."""
Lamplight = tuple[float, float, float, float, float, float, float, int, int]
Surrounding = tuple[float, float, float, float, float, float, float]


@device
def lamplight(
    a: Any,
    s: Any,
    one: int,
    hx: float,
    hy: float,
    hz: float,
    first: bool,
    below: bool,
    pixel: int,
    sample: int,
    dimension: int,
) -> Lamplight:
    """Light of lamp ``one``, or for -1 of one picked by what it would send here: direction, distance, what
    arrives by the chance it was picked, its layer, and the lamp (-1 for none).
    """
    pick_u, pick_v = random_pair(pixel, sample, dimension + 1)
    light, share = one, 1.0
    if one < 0:
        light, share = pick_light(a, hx, hy, hz, s[record.N], s[record.N + 1], s[record.N + 2], below, pick_u)
    if light < 0:
        return 0.0, 0.0, 0.0, np.inf, 0.0, 0.0, 0.0, 0, -1
    ix, iy, iz, far, strength = light_at(a, light, hx, hy, hz)
    if a.lights[light, KIND] == SUN and a.lights[light, COS_RADIUS] < 1.0:
        again, _ = random_pair(pixel, sample, dimension + 500)
        ix, iy, iz = sun_direction(a, light, again, pick_v)
        # Its lux are on a plane square to it, where what comes from its rim counts by the cosine.
        strength *= 2.0 / (1.0 + a.lights[light, COS_RADIUS])
    if a.lights[light, KIND] == SPOT and a.lights[light, SIZE] > 0.0:
        # As strong as from its middle; from any point of its outline, so that shadows and highlights have its
        # size.
        again, _ = random_pair(pixel, sample, dimension + 500)
        tx, ty, tz, bx, by, bz = basis(ix, iy, iz)
        away, turn = a.lights[light, SIZE] * math.sqrt(again), 2.0 * math.pi * pick_v
        c, k = away * math.cos(turn), away * math.sin(turn)
        ix, iy, iz = far * ix + c * tx + k * bx, far * iy + c * ty + k * by, far * iz + c * tz + k * bz
        far = math.sqrt(ix * ix + iy * iy + iz * iz)
        ix, iy, iz = ix / far, iy / far, iz / far
    scale = strength / share
    layer = int(a.lights[light, LAYER]) if first else int(a.lights[light, LATER_LAYER])
    return (
        ix,
        iy,
        iz,
        far,
        a.lights[light, POWER] * scale,
        a.lights[light, POWER + 1] * scale,
        a.lights[light, POWER + 2] * scale,
        layer,
        light,
    )


@device
def from_around(a: Any, hx: float, hy: float, hz: float, u: float, v: float) -> Surrounding:
    """A direction that much of the surroundings' light comes from, its radiance, and the density of picking
    it (0 for none).
    """
    ix, iy, iz, row, column, chance = environment_towards(a, hx, hy, hz, u, v)
    if chance <= 0.0:
        return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    return (
        ix,
        iy,
        iz,
        a.environment[row, column, 0],
        a.environment[row, column, 1],
        a.environment[row, column, 2],
        chance,
    )


@kernel
def sent_on(
    a: Any,
    tracing: Any,
    floats: Any,
    words: Any,
    s: Any,
    seen: Any,
    hx: float,
    hy: float,
    hz: float,
    gx: float,
    gy: float,
    gz: float,
    lift: float,
    below: bool,
    ix: float,
    iy: float,
    iz: float,
    far: float,
    shadowed: bool,
    point: bool,
    pixel: int,
    sample: int,
    dimension: int,
) -> tuple[float, float, float, float]:
    """What of light from a direction goes on to the viewer: scattering times what its way lets through, rgb,
    from a hit at h with the geometric normal g; and the density with which scattering picks that direction.
    """
    over = ix * gx + iy * gy + iz * gz
    if over <= 0.0 and not below:
        return 0.0, 0.0, 0.0, 0.0
    vr, vg, vb, density = scatter(s, ix, iy, iz)
    if vr + vg + vb <= 0.0 or not shadowed:
        return vr, vg, vb, density
    shadow_u, _ = random_pair(pixel, sample, dimension + 3)
    side = lift if over > 0.0 else -lift
    sx, sy, sz, near_it = ix, iy, iz, far
    if far < np.inf:
        # From the lifted origin to the very point that shines, and not quite there: nothing shadows itself.
        sx, sy, sz = far * ix - gx * side, far * iy - gy * side, far * iz - gz * side
        way = math.sqrt(sx * sx + sy * sy + sz * sz) + 1e-30
        sx, sy, sz = sx / way, sy / way, sz / way
        near_it = way - max(EPSILON, way * 1e-4)
    ar, ag, ab = passed(
        a,
        tracing,
        floats,
        words,
        hx + gx * side,
        hy + gy * side,
        hz + gz * side,
        sx,
        sy,
        sz,
        near_it,
        shadow_u,
        point,
        seen,
    )
    return vr * ar, vg * ag, vb * ab, density


@device
def glow_at(a: Any, triangle: int, b: float, c: float) -> tuple[float, float, float]:
    """Radiance of something that glows at a point of it."""
    u0, v0, u1, v1 = uv_at(a, triangle, b, c)
    return input3(a, material_of(a, triangle), EMISSION, u0, v0, u1, v1)


@kernel
def straight_light(
    a: Any,
    tracing: Any,
    floats: Any,
    words: Any,
    s: Any,
    seen: Any,
    lit: Any,
    tr: float,
    tg: float,
    tb: float,
    hx: float,
    hy: float,
    hz: float,
    lift: float,
    first: bool,
    straight: bool,
    pixel: int,
    sample: int,
    dimension: int,
) -> None:
    """Gather what comes straight to a hit at h, by what the path lets through: from a lamp, or all of them; from
    what surrounds; from something that glows. ``straight``: at a path's first place on a texel, where it is
    noted as well where it came from.
    """
    gx, gy, gz = s[record.G], s[record.G + 1], s[record.G + 2]
    below = two_sided(s)
    lamps = a.lights.shape[0]
    more = lamps - 1 if straight and lamps > 1 and lamps <= _ALL_LAMPS else 0
    for turn in range(3 + more):
        source = max(turn - more, 0)
        ix, iy, iz, far, chance = 0.0, 0.0, 0.0, np.inf, 0.0
        er, eg, eb = 0.0, 0.0, 0.0
        layer = a.sky_layer[0]
        glow, kb, kc = -1, 0.0, 0.0
        shadowed, point = True, False
        if source == 0:
            if lamps == 0:
                continue
            ix, iy, iz, far, er, eg, eb, layer, light = lamplight(
                a, s, turn if more > 0 else -1, hx, hy, hz, first, below, pixel, sample, dimension
            )
            if light < 0:
                continue
            shadowed, point = a.lights[light, SHADOWS] != 0.0, True
        elif source == 1:
            eu, ev = random_pair(pixel, sample, dimension + 2)
            ix, iy, iz, er, eg, eb, chance = from_around(a, hx, hy, hz, eu, ev)
            if chance <= 0.0:
                continue
        else:
            if a.glow_triangles.shape[0] == 0:
                continue
            gu, gv = random_pair(pixel, sample, dimension + 6)
            ix, iy, iz, far, glow, kb, kc, chance = glow_point(a, hx, hy, hz, gu, gv)
            if chance <= 0.0:
                continue
            layer = np.int64(a.triangle_layer[glow])
        vr, vg, vb, other = sent_on(
            a,
            tracing,
            floats,
            words,
            s,
            seen,
            hx,
            hy,
            hz,
            gx,
            gy,
            gz,
            lift,
            below,
            ix,
            iy,
            iz,
            far,
            shadowed,
            point,
            pixel,
            sample,
            dimension,
        )
        if vr + vg + vb <= 0.0:
            continue
        if glow >= 0:
            er, eg, eb = glow_at(a, glow, kb, kc)
        if not point:
            scale = 1.0 / (chance + other)
            er, eg, eb = er * scale, eg * scale, eb * scale
        gathered(lit, layer, tr * vr, tg * vg, tb * vb, er, eg, eb)
        if straight:
            light_here = 0.2126 * tr * vr * er + 0.7152 * tg * vg * eg + 0.0722 * tb * vb * eb
            s[STRAIGHT] += light_here
            s[STRAIGHT + 1] += light_here * ix
            s[STRAIGHT + 2] += light_here * iy
            s[STRAIGHT + 3] += light_here * iz
