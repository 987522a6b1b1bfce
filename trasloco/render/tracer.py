"""The path tracer: unidirectional, direct light from lamps, environment and glowing surfaces at every hit, multiple importance sampling with the last two."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from trasloco.rays.compiled import device, kernel, written_out
from trasloco.rays.kernels import hit_nearest
from trasloco.render.closures import layered as record
from trasloco.render.closures.ggx import MIN_ALPHA
from trasloco.render.closures.layered import already_lit, sampled, scatter, two_sided, weigh
from trasloco.render.closures.subsurface import diffuse_out, walk
from trasloco.render.flatten import ABSORBED, EMISSION, RADIUS, SUBSURFACE_COLOR, UNLIT
from trasloco.render.lighting import EPSILON, backdrop_seen, environment_chance, environment_texel, environment_towards, glow_point, glow_solid_density, light_at, passed, pick_light, sun_direction
from trasloco.render.sampling import cosine_direction, random_pair
from trasloco.render.starts import BACKS, EVEN, FROM, ODD
from trasloco.render.surface import base_at, frame_at, input3, is_given, is_solid, material_seen, plain_white, surface_at, uv_at
from trasloco.render.written import light_written

_DIMENSIONS_A_BOUNCE = 7
_MAX_EVENTS = 64
INDIRECT_ALPHA = 0.2
_TRIES = 12
WALK = record.LENGTH
STRAIGHT = record.LENGTH + 16
AWAY = STRAIGHT + 4
SCRATCH = AWAY + 3
"""Length of a thread's row of numbers: the record of a hit, the state of a walk through the inside, then for a path from a texel: luminance that came straight and its sum by direction, and where the path went first."""
_ALL_LAMPS = 16
"""With at most so many lamps a texel is lit by each of them at every path; more are picked by chance."""
_OTHER_SET = 1540483477
GUIDES = 6
"""Of the first hit, for whoever takes noise out: base colour and normal."""


@written_out
def trace_path(a: Any, tracing: Any, floats: Any, words: Any, s: Any, lit: Any, guide: Any, pixel: int, sample: int, start: int, start_u: float, start_v: float, px: float, py: float, pz: float, dx: float, dy: float, dz: float, bounces: int, preview: bool, seen: Any) -> None:
    """Add the radiance along a ray to ``lit`` (layers, 3), rgb in nit.

    With a ``start``, the path begins on that triangle at the barycentrics given, as on a dull white surface seen against (dx, dy, dz); ``guide`` then notes what
    :mod:`trasloco.render.starts` says. ``seen[0]`` and ``seen[1]`` get the first hit's material and part, -1 for none; ``seen[2]`` counts rays. ``guide`` gets the first hit's base colour and normal added.
    """
    tr, tg, tb = 1.0, 1.0, 1.0
    density = -1.0
    bounce = 0
    near = 0.0
    fromx, fromy, fromz = px, py, pz
    spread, leaving, probed = False, False, False
    # Absorption per metre of what the ray is inside of.
    mr, mg, mb = 0.0, 0.0, 0.0
    absorbed = 0.0
    seen[0] = -1
    seen[1] = -1
    sky = a.sky_layer[0]
    for event in range(_MAX_EVENTS):
        if start >= 0 and event == 0:
            triangle = start
            floats[8], floats[15], floats[16] = 0.0, start_u, start_v
            leaving, probed = True, True
        else:
            triangle = hit_nearest(tracing[0], tracing[1], floats, words, px, py, pz, dx, dy, dz, near, np.inf)
            seen[2] += 1
        if triangle < 0:
            if probed:
                return
            if density < 0.0:
                er, eg, eb = backdrop_seen(a, dx, dy, dz)
                weight = 1.0
                sky = a.sky_layer[1]
            else:
                row, column, _, _ = environment_texel(a, dx, dy, dz)
                er, eg, eb = a.environment[row, column, 0], a.environment[row, column, 1], a.environment[row, column, 2]
                weight = density / (density + environment_chance(a, fromx, fromy, fromz, dx, dy, dz, a.env_density[row, column]))
            lit[sky, 0] += tr * er * weight
            lit[sky, 1] += tg * eg * weight
            lit[sky, 2] += tb * eb * weight
            return
        distance, u, v = float(floats[8]), float(floats[15]), float(floats[16])
        behind = dx * floats[12] + dy * floats[13] + dz * floats[14] > 0.0
        u0, v0, u1, v1 = 0.0, 0.0, 0.0, 0.0
        dimension = bounce * _DIMENSIONS_A_BOUNCE
        material = a.triangle_material[triangle]
        if not leaving:
            material = material_seen(a, triangle, behind)
            solid = material >= 0
            # The eye looks through the back of a one-sided surface; light on its way does not, as its shadow says.
            stopped = not solid and bounce > 0
            if stopped:
                material = a.triangle_material[triangle]
                solid = True
            if solid:
                u0, v0, u1, v1 = uv_at(a, triangle, u, v)
                chance, _ = random_pair(pixel, sample, 1000 + event)
                solid = is_solid(a, triangle, material, u, v, u0, v0, u1, v1, chance)
            if not solid:
                near = distance + max(EPSILON, distance * 1e-6)
                continue
            if stopped:
                if start >= 0 and seen[0] < 0:
                    guide[BACKS] += 1.0
                return
        if mr + mg + mb > 0.0:
            way = distance - absorbed
            tr, tg, tb = tr * math.exp(-mr * way), tg * math.exp(-mg * way), tb * math.exp(-mb * way)
            absorbed = distance
        keep = 1.0
        if leaving:
            # Out of the inside: a dull white surface that sends on what has come through.
            outward = -1.0 if probed else 1.0
            s[record.VIEWER], s[record.VIEWER + 1], s[record.VIEWER + 2] = outward * dx, outward * dy, outward * dz
            frame_at(a, triangle, u, v, s)
            plain_white(s)
            for k in range(3):
                s[record.VIEWER + k] = s[record.N + k]
            weigh(s, a.metal, a.reflected, a.through, a.cloth, a.brushed)
            leaving, probed = False, False
        else:
            first = seen[0] < 0
            own = a.triangle_layer[triangle]
            if first:
                seen[0] = material
                seen[1] = a.triangle_part[triangle]
            if a.materials[material, UNLIT] != 0.0:
                r, g, b = base_at(a, triangle, material, u, v, u0, v0, u1, v1)
                lit[own, 0] += tr * r
                lit[own, 1] += tg * g
                lit[own, 2] += tb * b
                return
            if is_given(a, material, EMISSION):
                er, eg, eb = input3(a, material, EMISSION, u0, v0, u1, v1)
                weight = 1.0
                if density >= 0.0 and a.glow_density[triangle] > 0.0:
                    ex, ey, ez = px + dx * distance - fromx, py + dy * distance - fromy, pz + dz * distance - fromz
                    other = glow_solid_density(a, triangle, dx, dy, dz, ex * ex + ey * ey + ez * ez)
                    weight = density / (density + other) if other > 0.0 else 1.0
                lit[own, 0] += tr * er * weight
                lit[own, 1] += tg * eg * weight
                lit[own, 2] += tb * eb * weight
            if bounce >= bounces:
                return
            s[record.VIEWER], s[record.VIEWER + 1], s[record.VIEWER + 2] = -dx, -dy, -dz
            frame_at(a, triangle, u, v, s)
            # After a dull bounce reflections are widened, as in path space regularization (Kaplanyan and Dachsbacher 2013):
            # light focused by shiny things onto dull ones would otherwise be specks that never average out.
            surface_at(a, triangle, material, u, v, u0, v0, u1, v1, behind, INDIRECT_ALPHA if spread else MIN_ALPHA, s)
            weigh(s, a.metal, a.reflected, a.through, a.cloth, a.brushed)
            if first and start < 0:
                for k in range(3):
                    guide[k] += s[record.BASE + k]
                    guide[3 + k] += s[record.N + k]
            part = a.triangle_part[triangle]
            if a.received[part, 0] >= 0.0 or a.received[part, 2] >= 0.0:
                # Light received is written down, in lux: what is dull sends on its albedo's share over pi.
                er, eg, eb = light_written(a, triangle, part, u, v, behind, s)
                w = s[record.W_DULL] / math.pi
                lit[own, 0] += tr * er * w * s[record.BASE] * s[record.OUTER]
                lit[own, 1] += tg * eg * w * s[record.BASE + 1] * s[record.OUTER + 1]
                lit[own, 2] += tb * eb * w * s[record.BASE + 2] * s[record.OUTER + 2]
                already_lit(s)
            if s[record.THIN] > 0.0 or s[record.SUBSURFACE] > 0.0:
                # Straight on through a thin sheet, or down into the inside: picked by chance, so the other closures are divided by theirs.
                outer = max(s[record.OUTER], s[record.OUTER + 1], s[record.OUTER + 2])
                on, down = min(s[record.THIN] * outer, 0.98), min(s[record.SUBSURFACE] * outer, 0.98)
                if on + down > 0.98:
                    on, down = on / (on + down) * 0.98, down / (on + down) * 0.98
                chance, _ = random_pair(pixel, sample, 2000 + event)
                if chance < on:
                    w = s[record.THIN] / on
                    tr, tg, tb = tr * w * s[record.OUTER] * s[record.BASE], tg * w * s[record.OUTER + 1] * s[record.BASE + 1], tb * w * s[record.OUTER + 2] * s[record.BASE + 2]
                    near = distance + max(EPSILON, distance * 1e-6)
                    continue
                if chance < on + down:
                    w = s[record.SUBSURFACE] / down
                    tr, tg, tb = tr * w * s[record.OUTER], tg * w * s[record.OUTER + 1], tb * w * s[record.OUTER + 2]
                    su, sv = random_pair(pixel, sample, dimension + 5)
                    ix, iy, iz = cosine_direction(su, sv)
                    cr, cg, cb = input3(a, material, SUBSURFACE_COLOR, u0, v0, u1, v1)
                    lift = EPSILON * (1.0 + distance)
                    for k in range(3):
                        s[WALK + 3 + k] = ix * s[record.T + k] + iy * s[record.B + k] - iz * s[record.G + k]
                    s[WALK], s[WALK + 1], s[WALK + 2] = px + dx * distance - s[record.G] * lift, py + dy * distance - s[record.G + 1] * lift, pz + dz * distance - s[record.G + 2] * lift
                    s[WALK + 6], s[WALK + 7], s[WALK + 8], s[WALK + 9] = cr, cg, cb, a.materials[material, RADIUS]
                    if preview:
                        diffuse_out(s, s[WALK:], pixel, sample, 3000 + event * 1000)
                        probed = True
                    else:
                        steps = walk(tracing[0], tracing[1], floats, words, s[WALK:], pixel, sample, 3000 + event * 1000)
                        seen[2] += abs(steps)
                        if steps <= 0:
                            return
                    px, py, pz, dx, dy, dz = s[WALK], s[WALK + 1], s[WALK + 2], s[WALK + 3], s[WALK + 4], s[WALK + 5]
                    tr, tg, tb = tr * s[WALK + 10], tg * s[WALK + 11], tb * s[WALK + 12]
                    fromx, fromy, fromz = px, py, pz
                    near, density, leaving, spread = 0.0, -1.0, True, True
                    continue
                keep = 1.0 / max(1.0 - on - down, 1e-6)
        tr, tg, tb = tr * keep, tg * keep, tb * keep
        if bounce >= bounces:
            return
        hx, hy, hz = px + dx * distance, py + dy * distance, pz + dz * distance
        lift = EPSILON * (1.0 + distance)
        gx, gy, gz = s[record.G], s[record.G + 1], s[record.G + 2]
        below = two_sided(s)

        # Direct light: a lamp, or all of them; the environment; something that glows.
        straight = start >= 0 and bounce == 0
        lamps = a.lights.shape[0]
        more = lamps - 1 if straight and lamps > 1 and lamps <= _ALL_LAMPS else 0
        for turn in range(3 + more):
            kind = max(turn - more, 0)
            ix, iy, iz, far, chance, scale = 0.0, 0.0, 0.0, np.inf, 0.0, 0.0
            er, eg, eb = 0.0, 0.0, 0.0
            layer = sky
            glow, kb, kc = -1, 0.0, 0.0
            shadowed, point = True, False
            if kind == 0:
                if lamps == 0:
                    continue
                pick_u, pick_v = random_pair(pixel, sample, dimension + 1)
                if more > 0:
                    light, share = turn, 1.0
                else:
                    light, share = pick_light(a, hx, hy, hz, s[record.N], s[record.N + 1], s[record.N + 2], below, pick_u)
                if light < 0:
                    continue
                ix, iy, iz, far, strength = light_at(a, light, hx, hy, hz)
                if a.lights[light, 0] == 0.0 and a.lights[light, 13] < 1.0:
                    again, _ = random_pair(pixel, sample, dimension + 500)
                    ix, iy, iz = sun_direction(a, light, again, pick_v)
                    # Its lux are on a plane square to it, where what comes from its rim counts by the cosine.
                    strength *= 2.0 / (1.0 + a.lights[light, 13])
                er, eg, eb = a.lights[light, 7], a.lights[light, 8], a.lights[light, 9]
                scale = strength / share
                layer = int(a.lights[light, 14]) if bounce == 0 else int(a.lights[light, 15])
                shadowed, point = a.lights[light, 12] != 0.0, True
            elif kind == 1:
                eu, ev = random_pair(pixel, sample, dimension + 2)
                ix, iy, iz, row, column, chance = environment_towards(a, hx, hy, hz, eu, ev)
                if chance <= 0.0:
                    continue
                er, eg, eb = a.environment[row, column, 0], a.environment[row, column, 1], a.environment[row, column, 2]
            else:
                if a.glow_triangles.shape[0] == 0:
                    continue
                gu, gv = random_pair(pixel, sample, dimension + 6)
                ix, iy, iz, far, glow, kb, kc, chance = glow_point(a, hx, hy, hz, gu, gv)
                if chance <= 0.0:
                    continue
                layer = a.triangle_layer[glow]
            over = ix * gx + iy * gy + iz * gz
            if over <= 0.0 and not below:
                continue
            vr, vg, vb, other = scatter(s, ix, iy, iz)
            if vr + vg + vb <= 0.0:
                continue
            side = lift if over > 0.0 else -lift
            ar, ag, ab = 1.0, 1.0, 1.0
            if shadowed:
                shadow_u, _ = random_pair(pixel, sample, dimension + 3)
                sx, sy, sz, near_it = ix, iy, iz, far
                if far < np.inf:
                    # From the lifted origin to the very point that shines, and not quite there: nothing shadows itself.
                    sx, sy, sz = far * ix - gx * side, far * iy - gy * side, far * iz - gz * side
                    way = math.sqrt(sx * sx + sy * sy + sz * sz) + 1e-30
                    sx, sy, sz = sx / way, sy / way, sz / way
                    near_it = way - max(EPSILON, way * 1e-4)
                ar, ag, ab = passed(a, tracing, floats, words, hx + gx * side, hy + gy * side, hz + gz * side, sx, sy, sz, near_it, shadow_u, point, seen)
                if ar + ag + ab <= 0.0:
                    continue
            if glow >= 0:
                ku0, kv0, ku1, kv1 = uv_at(a, glow, kb, kc)
                er, eg, eb = input3(a, a.triangle_material[glow], EMISSION, ku0, kv0, ku1, kv1)
            if not point:
                scale = 1.0 / (chance + other)
            lit[layer, 0] += tr * vr * ar * er * scale
            lit[layer, 1] += tg * vg * ag * eg * scale
            lit[layer, 2] += tb * vb * ab * eb * scale
            if straight:
                light_here = scale * (0.2126 * tr * vr * ar * er + 0.7152 * tg * vg * ag * eg + 0.0722 * tb * vb * ab * eb)
                s[STRAIGHT] += light_here
                s[STRAIGHT + 1] += light_here * ix
                s[STRAIGHT + 2] += light_here * iy
                s[STRAIGHT + 3] += light_here * iz

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
                inward = s[record.BEHIND] == 0.0
                mr = a.materials[material, ABSORBED] if inward else 0.0
                mg = a.materials[material, ABSORBED + 1] if inward else 0.0
                mb = a.materials[material, ABSORBED + 2] if inward else 0.0
        px, py, pz = hx + gx * side, hy + gy * side, hz + gz * side
        fromx, fromy, fromz = px, py, pz
        near, absorbed = 0.0, 0.0
        bounce += 1


@device
def _tent(u: float) -> float:
    """A number with the density of a tent over [-1, 1]."""
    return math.sqrt(2.0 * u) - 1.0 if u < 0.5 else 1.0 - math.sqrt(2.0 - 2.0 * u)


@device
def _under_texel(texels: Any, width: int, x: int, y: int, jx: float, jy: float) -> tuple[int, float, float]:
    """Row of the triangle under a random place of a texel and its barycentrics there.

    Where none is, other places are tried, so that a texel at a border has the mean of what it covers; and when none of them is covered, the surface's nearest place is taken.
    """
    at = y * width + x
    chosen, best, cu, cv = -1, -1e30, 0.0, 0.0
    for attempt in range(_TRIES):
        px, py = x + (jx + attempt * 0.7548776662) % 1.0, y + (jy + attempt * 0.5698402910) % 1.0
        for k in range(texels.spans[at], texels.spans[at + 1]):
            row = texels.rows[k]
            x0, y0 = texels.corners[row, 0, 0], texels.corners[row, 0, 1]
            ax, ay, bx, by = texels.corners[row, 1, 0] - x0, texels.corners[row, 1, 1] - y0, texels.corners[row, 2, 0] - x0, texels.corners[row, 2, 1] - y0
            area = ax * by - bx * ay
            if abs(area) < 1e-12:
                continue
            u = ((px - x0) * by - bx * (py - y0)) / area
            v = (ax * (py - y0) - (px - x0) * ay) / area
            least = min(u, v, 1.0 - u - v)
            if least > best:
                chosen, best, cu, cv = row, least, u, v
            if least >= -1e-9:
                break
        if best >= -1e-9:
            break
    if chosen >= 0 and best < 0.0:
        w = max(1.0 - cu - cv, 0.0)
        cu, cv = max(cu, 0.0), max(cv, 0.0)
        total = cu + cv + w
        cu, cv = cu / total, cv / total
    return chosen, cu, cv


@kernel
def trace_tile(a: Any, tracing: Any, floats: Any, words: Any, s: Any, lit: Any, camera: Any, texels: Any, width: int, height: int, x0: int, x1: int, y0: int, y1: int, first: int, last: int, bounces: int, even: Any, odd: Any, guides: Any, ids: Any, seen: Any) -> int:
    """Add samples [first, last) of a tile to ``even`` and ``odd`` (layers, rows, columns, 3) by the sample's number, to ``guides`` (rows, columns, 6); ids (rows, columns, 2) with sample 0, of what is at the middle.

    The arrays hold the tile alone. ``camera`` is 18 numbers: position, right, up, forward with right and up scaled to the picture's half sides; radius of the
    lens in metres, distance in focus, radius of the pixel filter in pixels; the number of the set of random numbers; whether it is a preview; whether paths start under ``texels`` (:class:`trasloco.render.starts.Texels`) and not at a camera. ``s``, ``lit`` (layers, 3) and ``seen`` (3,) are scratch. Returns rays traced.
    """
    seen[2] = 0
    layers = lit.shape[0]
    for y in range(y0, y1):
        for x in range(x0, x1):
            place = y * width + x + int(camera[15]) * 16777259
            row, column = y - y0, x - x0
            # Before the first sample a look at the pixel's middle, everything sharp, tells what stands there.
            begin = first - 1 if first == 0 and camera[17] == 0.0 else first
            for number in range(begin, last):
                looking = number < 0
                # Even and odd samples are two sets of their own, so that their difference tells the noise: halves of one set would lean against each other.
                sample, pixel = max(number, 0) >> 1, place ^ ((number & 1) * _OTHER_SET)
                start, su, sv = -1, 0.0, 0.0
                jx, jy = random_pair(pixel, sample, 0)
                if camera[17] != 0.0:
                    under, su, sv = _under_texel(texels, width, x, y, jx, jy)
                    if under < 0:
                        continue
                    start = texels.triangles[under]
                    i, j, k = a.triangles[start, 0], a.triangles[start, 1], a.triangles[start, 2]
                    w = 1.0 - su - sv
                    px = w * a.positions[i, 0] + su * a.positions[j, 0] + sv * a.positions[k, 0]
                    py = w * a.positions[i, 1] + su * a.positions[j, 1] + sv * a.positions[k, 1]
                    pz = w * a.positions[i, 2] + su * a.positions[j, 2] + sv * a.positions[k, 2]
                    ax, ay, az = a.positions[j, 0] - a.positions[i, 0], a.positions[j, 1] - a.positions[i, 1], a.positions[j, 2] - a.positions[i, 2]
                    bx, by, bz = a.positions[k, 0] - a.positions[i, 0], a.positions[k, 1] - a.positions[i, 1], a.positions[k, 2] - a.positions[i, 2]
                    dx, dy, dz = az * by - ay * bz, ax * bz - az * bx, ay * bx - ax * by
                else:
                    # A tent as wide as asked: neighbours share a sample's light as a film's grains do, by where samples fall and not by weights.
                    jx, jy = 0.5 + camera[14] * _tent(jx), 0.5 + camera[14] * _tent(jy)
                    if looking:
                        jx, jy = 0.5, 0.5
                    sx = 2.0 * (x + jx) / width - 1.0
                    sy = 1.0 - 2.0 * (y + jy) / height
                    dx = camera[9] + sx * camera[3] + sy * camera[6]
                    dy = camera[10] + sx * camera[4] + sy * camera[7]
                    dz = camera[11] + sx * camera[5] + sy * camera[8]
                    px, py, pz = camera[0], camera[1], camera[2]
                    if camera[12] > 0.0 and not looking:
                        lu, lv = random_pair(pixel, sample, 900)
                        r, phi = camera[12] * math.sqrt(lu), 2.0 * math.pi * lv
                        rl = math.sqrt(camera[3] * camera[3] + camera[4] * camera[4] + camera[5] * camera[5])
                        ul = math.sqrt(camera[6] * camera[6] + camera[7] * camera[7] + camera[8] * camera[8])
                        cx, cy = r * math.cos(phi) / rl, r * math.sin(phi) / ul
                        ax, ay, az = cx * camera[3] + cy * camera[6], cx * camera[4] + cy * camera[7], cx * camera[5] + cy * camera[8]
                        dx, dy, dz = camera[13] * dx - ax, camera[13] * dy - ay, camera[13] * dz - az
                        px, py, pz = px + ax, py + ay, pz + az
                length = math.sqrt(dx * dx + dy * dy + dz * dz) + 1e-30
                for k in range(layers):
                    lit[k, 0] = lit[k, 1] = lit[k, 2] = 0.0
                backs = guides[row, column, BACKS]
                for k in range(STRAIGHT, SCRATCH):
                    s[k] = 0.0
                trace_path(a, tracing, floats, words, s, lit, guides[row, column], pixel, sample, start, su, sv, px, py, pz, dx / length, dy / length, dz / length, 0 if looking else bounces, camera[16] != 0.0, seen)
                if looking:
                    ids[row, column, 0], ids[row, column, 1] = seen[0], seen[1]
                    continue
                scale = 1.0
                if start >= 0:
                    # Illuminance is pi times what a dull white surface sends. What starts inside of something does not count.
                    scale = math.pi
                    if guides[row, column, BACKS] > backs:
                        continue
                    guides[row, column, EVEN if number % 2 == 0 else ODD] += 1.0
                    sent = -s[STRAIGHT]
                    for k in range(layers):
                        sent += 0.2126 * lit[k, 0] + 0.7152 * lit[k, 1] + 0.0722 * lit[k, 2]
                    for k in range(3):
                        guides[row, column, FROM + k] += s[STRAIGHT + 1 + k] + sent * s[AWAY + k]
                target = even if number % 2 == 0 else odd
                for k in range(layers):
                    target[k, row, column, 0] += scale * lit[k, 0]
                    target[k, row, column, 1] += scale * lit[k, 1]
                    target[k, row, column, 2] += scale * lit[k, 2]
    return int(seen[2])
