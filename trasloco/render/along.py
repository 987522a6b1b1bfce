"""What a path meets on its way: light beyond everything, what glows, light written down, the inside of
things.
"""

from __future__ import annotations

import math
from typing import Any

from trasloco.rays.compiled import device, kernel
from trasloco.render import medium
from trasloco.render.closures import record
from trasloco.render.closures.subsurface import diffuse_out, walk
from trasloco.render.columns import EMISSION, RADIUS, SUBSURFACE_COLOR
from trasloco.render.lighting import (
    EPSILON,
    backdrop_seen,
    environment_chance,
    environment_texel,
    glow_solid_density,
)
from trasloco.render.sampling import cosine_direction, random_pair
from trasloco.render.values import input1, input3
from trasloco.render.written import light_written

WALK = record.LENGTH


STRAIGHT = record.LENGTH + 16


AWAY = STRAIGHT + 4


MEDIUM = AWAY + 3


SCRATCH = MEDIUM + medium.LENGTH
"""Length of a thread's row of numbers: the record of a hit, the state of a walk through the inside, then for
a path from a texel: luminance that came straight and its sum by direction, and where the path went first;
what the path is inside of.
"""


MATERIAL, PART, RAYS = 0, 1, 2
"""What ``seen`` holds: material and part of the first hit, -1 for none, and rays traced."""


STAY, ON, DOWN = 0, 1, 2


@device
def gathered(lit: Any, layer: int, tr: float, tg: float, tb: float, r: float, g: float, b: float) -> None:
    """Light in nit that reaches the eye by what the path lets through."""
    lit[layer, 0] += tr * r
    lit[layer, 1] += tg * g
    lit[layer, 2] += tb * b


@device
def light_beyond(
    a: Any, density: float, fromx: float, fromy: float, fromz: float, dx: float, dy: float, dz: float
) -> tuple[float, float, float, int]:
    """What a ray that meets nothing sees, weighed against picking its direction for the light's sake, and the
    layer: the backdrop for the eye (``density`` below 0), else what surrounds.
    """
    if density < 0.0:
        er, eg, eb = backdrop_seen(a, dx, dy, dz)
        return er, eg, eb, a.sky_layer[1]
    row, column, _, _ = environment_texel(a, dx, dy, dz)
    by_light = float(a.environment[row, column, 3])
    weight = density / (density + environment_chance(a, fromx, fromy, fromz, dx, dy, dz, by_light))
    return (
        a.environment[row, column, 0] * weight,
        a.environment[row, column, 1] * weight,
        a.environment[row, column, 2] * weight,
        a.sky_layer[0],
    )


@device
def emission(
    a: Any,
    triangle: int,
    material: int,
    density: float,
    u0: float,
    v0: float,
    u1: float,
    v1: float,
    dx: float,
    dy: float,
    dz: float,
    ex: float,
    ey: float,
    ez: float,
) -> tuple[float, float, float]:
    """What a hit sends by itself, weighed against picking its point for the light's sake; (ex, ey, ez) is the
    way to it from where the ray was scattered.
    """
    er, eg, eb = input3(a, material, EMISSION, u0, v0, u1, v1)
    if density < 0.0 or a.glow_density[triangle] <= 0.0:
        return er, eg, eb
    other = glow_solid_density(a, triangle, dx, dy, dz, ex * ex + ey * ey + ez * ez)
    weight = density / (density + other) if other > 0.0 else 1.0
    return er * weight, eg * weight, eb * weight


@device
def sent_as_written(
    a: Any, triangle: int, part: int, u: float, v: float, behind: bool, s: Any
) -> tuple[float, float, float]:
    """What a dull surface sends of light that is written down, in lux: its albedo's share over pi."""
    er, eg, eb = light_written(a, triangle, part, u, v, behind, s)
    w = s[record.W_DULL] / math.pi
    return (
        er * w * s[record.COLOR] * s[record.OUTER] * s[record.UNDER],
        eg * w * s[record.COLOR + 1] * s[record.OUTER + 1] * s[record.UNDER + 1],
        eb * w * s[record.COLOR + 2] * s[record.OUTER + 2] * s[record.UNDER + 2],
    )


@device
def one_color(s: Any, pixel: int, sample: int) -> tuple[float, float, float]:
    """A path goes on with one of its colours, picked by chance, three times as strong; the record notes which."""
    chance, _ = random_pair(pixel, sample, 950)
    if chance < 1.0 / 3.0:
        s[record.WAVE] = -1.0
        return 3.0, 0.0, 0.0
    if chance < 2.0 / 3.0:
        s[record.WAVE] = 0.0
        return 0.0, 3.0, 0.0
    s[record.WAVE] = 1.0
    return 0.0, 0.0, 3.0


@device
def way_through(s: Any, chance: float) -> tuple[int, float]:
    """Straight on through a thin sheet, down into the inside, or neither; picked by chance, so with what it
    is to be divided by taken in.
    """
    outer = max(s[record.OUTER], s[record.OUTER + 1], s[record.OUTER + 2])
    on, down = min(s[record.THIN] * outer, 0.98), min(s[record.SUBSURFACE] * outer, 0.98)
    if on + down > 0.98:
        on, down = on / (on + down) * 0.98, down / (on + down) * 0.98
    if chance < on:
        return ON, s[record.THIN] / on
    if chance < on + down:
        return DOWN, s[record.SUBSURFACE] / down
    return STAY, 1.0 / max(1.0 - on - down, 1e-6)


@kernel
def inside(
    a: Any,
    tracing: Any,
    floats: Any,
    words: Any,
    s: Any,
    seen: Any,
    material: int,
    u0: float,
    v0: float,
    u1: float,
    v1: float,
    hx: float,
    hy: float,
    hz: float,
    pixel: int,
    sample: int,
    dimension: int,
    steps_from: int,
    preview: bool,
) -> bool:
    """A walk below the surface until it comes out, its state in the record from :data:`WALK` on; whether it
    did.
    """
    su, sv = random_pair(pixel, sample, dimension + 5)
    ix, iy, iz = cosine_direction(su, sv)
    cr, cg, cb = input3(a, material, SUBSURFACE_COLOR, u0, v0, u1, v1)
    lift = EPSILON * (1.0 + floats[8])
    for k in range(3):
        s[WALK + 3 + k] = ix * s[record.T + k] + iy * s[record.B + k] - iz * s[record.G + k]
    s[WALK], s[WALK + 1], s[WALK + 2] = (
        hx - s[record.G] * lift,
        hy - s[record.G + 1] * lift,
        hz - s[record.G + 2] * lift,
    )
    s[WALK + 6], s[WALK + 7], s[WALK + 8] = cr, cg, cb
    s[WALK + 9] = max(input1(a, material, RADIUS, u0, v0, u1, v1), 1e-6)
    if preview:
        diffuse_out(s, s[WALK:], pixel, sample, steps_from)
        return True
    steps = walk(tracing[0], tracing[1], floats, words, s[WALK:], pixel, sample, steps_from)
    seen[RAYS] += abs(steps)
    return bool(steps > 0)


@kernel
def through_a_medium(
    tracing: Any,
    floats: Any,
    words: Any,
    s: Any,
    seen: Any,
    triangle: int,
    since: float,
    px: float,
    py: float,
    pz: float,
    dx: float,
    dy: float,
    dz: float,
    tr: float,
    tg: float,
    tb: float,
    pixel: int,
    sample: int,
    dimension: int,
) -> int:
    """Through what takes light, and may scatter it (:func:`trasloco.render.medium.crossed`), its state in the
    record from :data:`MEDIUM` on; the triangle where it ends.
    """
    state = s[MEDIUM:]
    state[medium.PLACE], state[medium.PLACE + 1], state[medium.PLACE + 2] = px, py, pz
    state[medium.WAY], state[medium.WAY + 1], state[medium.WAY + 2] = dx, dy, dz
    state[medium.CARRIED], state[medium.CARRIED + 1], state[medium.CARRIED + 2] = tr, tg, tb
    if not medium.scatters(state):
        way = float(floats[8]) - since
        for k in range(3):
            state[medium.CARRIED + k] *= math.exp(-state[medium.EXTINCTION + k] * way)
        return triangle
    return int(
        medium.crossed(
            tracing[0], tracing[1], floats, words, state, seen, triangle, since, pixel, sample, dimension
        )
    )
