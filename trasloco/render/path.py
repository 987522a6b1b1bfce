"""One path: where its ray meets something it gathers what shines there and what comes straight, and goes on
by what the surface does with light.

L = emission + sum over lights of (scattering x light) + scattering x L of a direction that scattering picks,
weighed by the chances of picking it.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from trasloco.rays.compiled import kernel
from trasloco.rays.kernels import hit_nearest
from trasloco.render import medium
from trasloco.render.along import (
    AWAY,
    DOWN,
    MATERIAL,
    MEDIUM,
    ON,
    PART,
    RAYS,
    WALK,
    emission,
    gathered,
    inside,
    light_beyond,
    one_color,
    sent_as_written,
    through_a_medium,
    way_through,
)
from trasloco.render.closures import record
from trasloco.render.closures.ggx import MIN_ALPHA
from trasloco.render.closures.layered import already_lit, sampled, scatter, weigh
from trasloco.render.columns import EMISSION, UNLIT
from trasloco.render.lighting import EPSILON
from trasloco.render.sampling import random_pair
from trasloco.render.starts import BACKS
from trasloco.render.straight import straight_light
from trasloco.render.surface import (
    apart_at,
    base_at,
    frame_at,
    is_given,
    is_solid,
    material_seen,
    out_of_the_inside,
    surface_at,
)
from trasloco.render.values import material_of, uv_at

_DIMENSIONS_A_BOUNCE = 7
_MAX_EVENTS = 64
_SURE = 1e30
"""A density beside which no other way of finding light weighs anything."""
INDIRECT_ALPHA = 0.2
GUIDES = 6
"""Of the first hit, for whoever takes noise out: base colour and normal."""


@kernel
def trace_path(
    a: Any,
    tracing: Any,
    floats: Any,
    words: Any,
    s: Any,
    lit: Any,
    guide: Any,
    pixel: int,
    sample: int,
    start: int,
    start_u: float,
    start_v: float,
    px: float,
    py: float,
    pz: float,
    dx: float,
    dy: float,
    dz: float,
    bounces: int,
    preview: bool,
    seen: Any,
) -> None:
    """Add the radiance along a ray to ``lit`` (layers, 3), rgb in nit.

    With a ``start``, the path begins on that triangle at the barycentrics given, as on a dull white surface
    seen against (dx, dy, dz); ``guide`` then notes what
    :mod:`trasloco.render.starts` says. ``seen`` is as :data:`MATERIAL`, :data:`PART` and :data:`RAYS` say.
    ``guide`` gets the first hit's base colour and normal added.
    """
    tr, tg, tb = 1.0, 1.0, 1.0
    density = -1.0
    bounce = 0
    near = 0.0
    fromx, fromy, fromz = px, py, pz
    spread, leaving, probed = False, False, False
    absorbed = 0.0
    medium.left(s[MEDIUM:])
    seen[MATERIAL] = -1
    seen[PART] = -1
    s[record.WAVE] = 0.0
    bent = False
    for event in range(_MAX_EVENTS):
        if start >= 0 and event == 0:
            triangle = start
            floats[8], floats[15], floats[16] = 0.0, start_u, start_v
            leaving, probed = True, True
        else:
            triangle = hit_nearest(
                tracing[0], tracing[1], floats, words, px, py, pz, dx, dy, dz, near, np.inf
            )
            seen[RAYS] += 1

        # What the way through a solid took, and where it sent the light instead.
        if triangle >= 0 and medium.takes(s[MEDIUM:]):
            triangle = through_a_medium(
                tracing,
                floats,
                words,
                s,
                seen,
                triangle,
                absorbed,
                px,
                py,
                pz,
                dx,
                dy,
                dz,
                tr,
                tg,
                tb,
                pixel,
                sample,
                200000 + event * 2000,
            )
            if triangle == medium.ABSORBED:
                return
            inside_of = s[MEDIUM:]
            tr, tg, tb = (
                inside_of[medium.CARRIED],
                inside_of[medium.CARRIED + 1],
                inside_of[medium.CARRIED + 2],
            )
            ix, iy, iz = inside_of[medium.WAY], inside_of[medium.WAY + 1], inside_of[medium.WAY + 2]
            if dx != ix or dy != iy or dz != iz:
                dx, dy, dz = ix, iy, iz
                px, py, pz = (
                    inside_of[medium.PLACE],
                    inside_of[medium.PLACE + 1],
                    inside_of[medium.PLACE + 2],
                )
                fromx, fromy, fromz = px, py, pz
                # Nothing was picked for the light's sake where it was scattered.
                near, density, spread = 0.0, _SURE, True
            absorbed = float(floats[8])
        if triangle < 0:
            if not probed:
                er, eg, eb, beyond = light_beyond(a, density, fromx, fromy, fromz, dx, dy, dz)
                gathered(lit, beyond, tr, tg, tb, er, eg, eb)
            return
        distance, u, v = float(floats[8]), float(floats[15]), float(floats[16])
        behind = dx * floats[12] + dy * floats[13] + dz * floats[14] > 0.0
        u0, v0, u1, v1 = 0.0, 0.0, 0.0, 0.0
        dimension = bounce * _DIMENSIONS_A_BOUNCE
        material = material_of(a, triangle)

        # Is anything there at all? What is cut away, blended away, or a back that is not drawn lets the ray
        # on.
        if not leaving:
            material = material_seen(a, triangle, behind)
            solid = material >= 0
            # The eye looks through the back of a one-sided surface; light on its way does not, as its shadow
            # says.
            stopped = not solid and bounce > 0
            if stopped:
                material = material_of(a, triangle)
                solid = True
            if solid:
                u0, v0, u1, v1 = uv_at(a, triangle, u, v)
                chance, _ = random_pair(pixel, sample, 1000 + event)
                solid = is_solid(a, triangle, material, u, v, u0, v0, u1, v1, chance)
            if not solid:
                near = distance + max(EPSILON, distance * 1e-6)
                continue
            if stopped:
                if start >= 0 and seen[MATERIAL] < 0:
                    guide[BACKS] += 1.0
                return

        keep = 1.0
        if leaving:
            # Out of the inside: a dull white surface that sends on what has come through.
            outward = -1.0 if probed else 1.0
            out_of_the_inside(a, triangle, u, v, outward * dx, outward * dy, outward * dz, s)
            weigh(s, a.metal, a.reflected, a.through, a.cloth, a.brushed)
            leaving, probed = False, False
        else:
            hx, hy, hz = px + dx * distance, py + dy * distance, pz + dz * distance
            first = seen[MATERIAL] < 0
            own, part = np.int64(a.triangle_layer[triangle]), a.triangle_part[triangle]
            if first:
                seen[MATERIAL], seen[PART] = material, part

            # What shines there.
            if a.materials[material, UNLIT] != 0.0:
                r, g, b = base_at(a, triangle, material, u, v, u0, v0, u1, v1)
                gathered(lit, own, tr, tg, tb, r, g, b)
                return
            if is_given(a, material, EMISSION):
                er, eg, eb = emission(
                    a,
                    triangle,
                    material,
                    density,
                    u0,
                    v0,
                    u1,
                    v1,
                    dx,
                    dy,
                    dz,
                    hx - fromx,
                    hy - fromy,
                    hz - fromz,
                )
                gathered(lit, own, tr, tg, tb, er, eg, eb)
            if bounce >= bounces:
                return

            # What the surface is, as it is seen from here.
            s[record.VIEWER], s[record.VIEWER + 1], s[record.VIEWER + 2] = -dx, -dy, -dz
            frame_at(a, triangle, u, v, s)
            # What bends colours apart lets one of them on, picked by chance once a path.
            if not bent and apart_at(a, material, u0, v0, u1, v1) > 0.0:
                bent = True
                kr, kg, kb = one_color(s, pixel, sample)
                tr, tg, tb = tr * kr, tg * kg, tb * kb
            # After a dull bounce reflections are widened, as in path space regularization (Kaplanyan and
            # Dachsbacher 2013):
            # light focused by shiny things onto dull ones would otherwise be specks that never average out.
            surface_at(
                a,
                triangle,
                material,
                u,
                v,
                u0,
                v0,
                u1,
                v1,
                behind,
                INDIRECT_ALPHA if spread else MIN_ALPHA,
                s,
            )
            weigh(s, a.metal, a.reflected, a.through, a.cloth, a.brushed)
            if first and start < 0:
                for k in range(3):
                    guide[k] += s[record.COLOR + k]
                    guide[3 + k] += s[record.N + k]
            if a.received[part, 0] >= 0.0 or a.received[part, 2] >= 0.0:
                er, eg, eb = sent_as_written(a, triangle, part, u, v, behind, s)
                gathered(lit, own, tr, tg, tb, er, eg, eb)
                already_lit(s)
            if s[record.THIN] > 0.0 or s[record.SUBSURFACE] > 0.0:
                chance, _ = random_pair(pixel, sample, 2000 + event)
                goes, w = way_through(s, chance)
                if goes == ON:
                    tr, tg, tb = (
                        tr * w * s[record.OUTER] * s[record.UNDER] * s[record.COLOR],
                        tg * w * s[record.OUTER + 1] * s[record.UNDER + 1] * s[record.COLOR + 1],
                        tb * w * s[record.OUTER + 2] * s[record.UNDER + 2] * s[record.COLOR + 2],
                    )
                    near = distance + max(EPSILON, distance * 1e-6)
                    continue
                if goes == DOWN:
                    if not inside(
                        a,
                        tracing,
                        floats,
                        words,
                        s,
                        seen,
                        material,
                        u0,
                        v0,
                        u1,
                        v1,
                        hx,
                        hy,
                        hz,
                        pixel,
                        sample,
                        dimension,
                        3000 + event * 1000,
                        preview,
                    ):
                        return
                    tr, tg, tb = (
                        tr * w * s[record.OUTER] * s[record.UNDER] * s[WALK + 10],
                        tg * w * s[record.OUTER + 1] * s[record.UNDER + 1] * s[WALK + 11],
                        tb * w * s[record.OUTER + 2] * s[record.UNDER + 2] * s[WALK + 12],
                    )
                    px, py, pz, dx, dy, dz = (
                        s[WALK],
                        s[WALK + 1],
                        s[WALK + 2],
                        s[WALK + 3],
                        s[WALK + 4],
                        s[WALK + 5],
                    )
                    fromx, fromy, fromz = px, py, pz
                    near, density, leaving, spread, probed = 0.0, -1.0, True, True, preview
                    continue
                keep = w
        tr, tg, tb = tr * keep, tg * keep, tb * keep
        if bounce >= bounces:
            return
        hx, hy, hz = px + dx * distance, py + dy * distance, pz + dz * distance
        lift = EPSILON * (1.0 + distance)
        gx, gy, gz = s[record.G], s[record.G + 1], s[record.G + 2]

        straight = start >= 0 and bounce == 0
        straight_light(
            a,
            tracing,
            floats,
            words,
            s,
            seen,
            lit,
            tr,
            tg,
            tb,
            hx,
            hy,
            hz,
            lift,
            bounce == 0,
            straight,
            pixel,
            sample,
            dimension,
        )

        # Where scattering sends the path.
        choose, roulette = random_pair(pixel, sample, dimension + 4)
        su, sv = random_pair(pixel, sample, dimension + 5)
        ix, iy, iz, wide = sampled(s, choose, su, sv)
        if ix == 0.0 and iy == 0.0 and iz == 0.0:
            return
        vr, vg, vb, density = scatter(s, ix, iy, iz)
        if density <= 1e-12:
            return
        tr, tg, tb = tr * vr / density, tg * vg / density, tb * vb / density
        dx, dy, dz = ix, iy, iz
        if straight:
            s[AWAY], s[AWAY + 1], s[AWAY + 2] = ix, iy, iz
        spread = spread or wide
        if bounce >= 1:
            survive = min(max(tr, tg, tb), 0.95)
            if roulette >= survive:
                return
            tr, tg, tb = tr / survive, tg / survive, tb / survive
        side = lift
        if dx * gx + dy * gy + dz * gz < 0.0:
            side = -lift
            if s[record.SOLID] != 0.0 and s[record.THROUGH] > 0.0:
                medium.left(s[MEDIUM:])
                if s[record.BEHIND] == 0.0:
                    medium.entered(a, s[MEDIUM:], material, u0, v0, u1, v1)
        px, py, pz = hx + gx * side, hy + gy * side, hz + gz * side
        fromx, fromy, fromz = px, py, pz
        near, absorbed = 0.0, 0.0
        bounce += 1
