"""Light arriving at a point: the environment with importance sampling, punctual lights picked by what they
send, shadows that see through cut-outs and glass.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from trasloco.rays.compiled import device, kernel, stays_whole
from trasloco.rays.kernels import hit_nearest
from trasloco.render.closures.coat import COAT_INDEX
from trasloco.render.closures.film import filmed
from trasloco.render.closures.fresnel import dielectric, index_for
from trasloco.render.closures.layered import SMOOTH_THIN_ALPHA
from trasloco.render.columns import (
    BASE,
    COAT,
    COS_INNER,
    COS_OUTER,
    COS_RADIUS,
    FILM,
    FILM_INDEX,
    FILM_NM,
    KIND,
    LOOKS,
    METAL,
    PLACE,
    POWER,
    ROUGH,
    SOLID,
    SPECULAR,
    SPECULAR_COLOR,
    SPOT,
    SUN,
    TRANSMISSION,
    TWO_SIDED,
)
from trasloco.render.medium import inside_at
from trasloco.render.sampling import basis, pick
from trasloco.render.surface import index_at, is_solid
from trasloco.render.values import input1, input3, material_of, uv_at

EPSILON = 2e-5
_MAX_LAYERS = 24
LEAST_DISTANCE_M = 0.03


@device
def environment_direction(a: Any, u: float, v: float) -> tuple[float, float, float, int, int, float]:
    """A direction picked by the picture's luminance, with its texel and density over solid angle."""
    height, width = a.environment.shape[0], a.environment.shape[1]
    row, across = pick(a.env_rows, 0, height, u)
    column, along = pick(a.env_columns, row, width, v)
    # Evenly over the row's solid angle: its cosines, not its angles.
    cosine_up = a.env_edges[row] + across * (a.env_edges[row + 1] - a.env_edges[row])
    sine_up = math.sqrt(max(1.0 - cosine_up * cosine_up, 0.0))
    phi = ((column + along) / width - 0.5) * 2.0 * math.pi
    x, y, z = sine_up * math.sin(phi), cosine_up, -sine_up * math.cos(phi)
    cosine, sine = a.env_turn[0], a.env_turn[1]
    return cosine * x + sine * z, y, -sine * x + cosine * z, row, column, float(a.environment[row, column, 3])


@device
def environment_towards(
    a: Any, px: float, py: float, pz: float, u: float, v: float
) -> tuple[float, float, float, int, int, float]:
    """As :func:`environment_direction` from a place, half of the time through one of the openings where there
    are any, so that a room finds its windows.
    """
    count = a.openings.shape[0]
    if count == 0:
        return environment_direction(a, u, v)
    if u < 0.5:
        u *= 2.0 * count
        which = min(int(u), count - 1)
        u -= which
        o = a.openings[which]
        x, y, z = (
            o[0] + u * o[3] + v * o[6] - px,
            o[1] + u * o[4] + v * o[7] - py,
            o[2] + u * o[5] + v * o[8] - pz,
        )
        length = math.sqrt(x * x + y * y + z * z) + 1e-30
        x, y, z = x / length, y / length, z / length
        row, column, _, _ = environment_texel(a, x, y, z)
    else:
        x, y, z, row, column, _ = environment_direction(a, 2.0 * u - 1.0, v)
    density = float(a.environment[row, column, 3])
    return x, y, z, row, column, environment_chance(a, px, py, pz, x, y, z, density)


@device
def environment_chance(
    a: Any, px: float, py: float, pz: float, x: float, y: float, z: float, density: float
) -> float:
    """Density over solid angle with which :func:`environment_towards` picks a direction whose texel has a
    ``density`` by itself.
    """
    count = a.openings.shape[0]
    if count == 0:
        return density
    found = 0.0
    for k in range(count):
        o = a.openings[k]
        cosine = x * o[9] + y * o[10] + z * o[11]
        if abs(cosine) < 1e-6:
            continue
        t = ((o[0] - px) * o[9] + (o[1] - py) * o[10] + (o[2] - pz) * o[11]) / cosine
        if t <= 0.0:
            continue
        hx, hy, hz = px + t * x - o[0], py + t * y - o[1], pz + t * z - o[2]
        s = (hx * o[3] + hy * o[4] + hz * o[5]) / (o[3] * o[3] + o[4] * o[4] + o[5] * o[5])
        w = (hx * o[6] + hy * o[7] + hz * o[8]) / (o[6] * o[6] + o[7] * o[7] + o[8] * o[8])
        if s >= 0.0 and s <= 1.0 and w >= 0.0 and w <= 1.0:
            found += t * t / (abs(cosine) * o[12])
    return 0.5 * density + 0.5 * found / count


@device
def environment_texel(a: Any, x: float, y: float, z: float) -> tuple[int, int, float, float]:
    """Texel of a direction, and its continuous row and column."""
    return texel_towards(a.environment, a.env_turn, x, y, z)


@device
def texel_towards(picture: Any, turn: Any, x: float, y: float, z: float) -> tuple[int, int, float, float]:
    """Texel of a direction in a latitude-longitude picture (H, W, 3) turned by a cosine and sine, and its
    continuous row and column.
    """
    cosine, sine = turn[0], turn[1]
    lx, lz = cosine * x - sine * z, sine * x + cosine * z
    height, width = picture.shape[0], picture.shape[1]
    row = math.acos(min(max(y, -1.0), 1.0)) / math.pi * height
    column = (math.atan2(lx, -lz) / (2.0 * math.pi) + 0.5) * width
    return min(int(row), height - 1), min(max(int(column), 0), width - 1), row, column


@device
def backdrop_seen(a: Any, x: float, y: float, z: float) -> tuple[float, float, float]:
    """What stands behind the subject in a direction, bilinear, for the eye."""
    e = a.backdrop
    height, width = e.shape[0], e.shape[1]
    _, _, row, column = texel_towards(e, a.backdrop_turn, x, y, z)
    r0, c0 = math.floor(row - 0.5), math.floor(column - 0.5)
    fr, fc = row - 0.5 - r0, column - 0.5 - c0
    top, bottom = min(max(int(r0), 0), height - 1), min(max(int(r0) + 1, 0), height - 1)
    left, right = int(c0) % width, (int(c0) + 1) % width
    wa, wb, wc, wd = (1 - fr) * (1 - fc), (1 - fr) * fc, fr * (1 - fc), fr * fc
    return (
        wa * e[top, left, 0] + wb * e[top, right, 0] + wc * e[bottom, left, 0] + wd * e[bottom, right, 0],
        wa * e[top, left, 1] + wb * e[top, right, 1] + wc * e[bottom, left, 1] + wd * e[bottom, right, 1],
        wa * e[top, left, 2] + wb * e[top, right, 2] + wc * e[bottom, left, 2] + wd * e[bottom, right, 2],
    )


@kernel
def passed(
    a: Any,
    tracing: Any,
    floats: Any,
    words: Any,
    px: float,
    py: float,
    pz: float,
    dx: float,
    dy: float,
    dz: float,
    far: float,
    random: float,
    point: bool,
    seen: Any,
) -> tuple[float, float, float]:
    """Share of light that gets along a shadow ray: cut-outs by their alpha, smooth thin glass by what its
    closures let straight on. ``seen[2]`` counts rays.

    Solid glass bends light and stops a straight ray; only for lamps without a size (``point``), which no bent
    path can ever meet, it lets it straight through.
    """
    stays_whole()
    r, g, b = 1.0, 1.0, 1.0
    near, entered = 0.0, 0.0
    mr, mg, mb = -1.0, 0.0, 0.0
    for layer in range(_MAX_LAYERS):
        triangle = hit_nearest(tracing[0], tracing[1], floats, words, px, py, pz, dx, dy, dz, near, far)
        seen[2] += 1
        if triangle < 0:
            return r, g, b
        distance, u, v = float(floats[8]), float(floats[15]), float(floats[16])
        behind = dx * floats[12] + dy * floats[13] + dz * floats[14] > 0.0
        near = distance + max(EPSILON, distance * 1e-6)
        material = material_of(a, triangle)
        u0, v0, u1, v1 = uv_at(a, triangle, u, v)
        if not is_solid(a, triangle, material, u, v, u0, v0, u1, v1, (random + 0.618034 * layer) % 1.0):
            continue
        through = input1(a, material, TRANSMISSION, u0, v0, u1, v1)
        solid = a.materials[material, SOLID] != 0.0
        if through <= 0.0 or (solid and not point):
            return 0.0, 0.0, 0.0
        rough = input1(a, material, ROUGH, u0, v0, u1, v1)
        if not solid and rough * rough > SMOOTH_THIN_ALPHA:
            return 0.0, 0.0, 0.0
        if behind and not solid and a.materials[material, TWO_SIDED] == 0.0:
            continue
        length = (
            math.sqrt(floats[12] * floats[12] + floats[13] * floats[13] + floats[14] * floats[14]) + 1e-30
        )
        cosine = abs(dx * floats[12] + dy * floats[13] + dz * floats[14]) / length
        bends = index_at(a, material, u0, v0, u1, v1)
        root = (bends - 1.0) / (bends + 1.0)
        sr, sg, sb = input3(a, material, SPECULAR_COLOR, u0, v0, u1, v1)
        index = index_for(
            input1(a, material, SPECULAR, u0, v0, u1, v1) * min(root * root * max(sr, sg, sb, 1.0), 1.0)
        )
        # As much as the layered closures let straight on (``THIN``), where they are smooth.
        share = through * (1.0 - input1(a, material, METAL, u0, v0, u1, v1))
        share *= 1.0 - input1(a, material, COAT, u0, v0, u1, v1) * dielectric(cosine, COAT_INDEX)
        cr, cg, cb = input3(a, material, BASE, u0, v0, u1, v1)
        back = dielectric(cosine, index)
        film = min(max(input1(a, material, FILM, u0, v0, u1, v1), 0.0), 1.0)
        fr, fg, fb = back, back, back
        if film > 0.0:
            thick = input1(a, material, FILM_NM, u0, v0, u1, v1)
            fr, fg, fb = filmed(
                back, film, cosine, index, input1(a, material, FILM_INDEX, u0, v0, u1, v1), thick
            )
        cr, cg, cb = cr * (1.0 - fr), cg * (1.0 - fg), cb * (1.0 - fb)
        if solid and (not behind or mr < 0.0):
            # What lies below the place where it is entered, as for a path; the ray may also begin inside.
            mr, mg, mb, _, _, _ = inside_at(a, material, u0, v0, u1, v1)
        if solid and behind:
            # Leaving a solid: what was absorbed since it was entered, which is where the ray began or the
            # surface before.
            way = distance - entered
            cr, cg, cb = cr * math.exp(-way * mr), cg * math.exp(-way * mg), cb * math.exp(-way * mb)
        entered = distance
        r, g, b = r * share * cr, g * share * cg, b * share * cb
        if max(r, g, b) < 1e-4:
            return 0.0, 0.0, 0.0
    return 0.0, 0.0, 0.0


@device
def light_at(a: Any, light: int, px: float, py: float, pz: float) -> tuple[float, float, float, float, float]:
    """Direction to a punctual light, its distance, and its strength there: lux over the coloured intensity
    (KHR_lights_punctual).

    The inverse square stops growing 3 cm from the light: no real source is a point, and wicks touch theirs.
    """
    kind = a.lights[light, KIND]
    if kind == SUN:
        return -a.lights[light, LOOKS], -a.lights[light, LOOKS + 1], -a.lights[light, LOOKS + 2], np.inf, 1.0
    dx, dy, dz = a.lights[light, PLACE] - px, a.lights[light, PLACE + 1] - py, a.lights[light, PLACE + 2] - pz
    squared = dx * dx + dy * dy + dz * dz + 1e-12
    distance = math.sqrt(squared)
    dx, dy, dz = dx / distance, dy / distance, dz / distance
    strength = 1.0 / max(squared, LEAST_DISTANCE_M * LEAST_DISTANCE_M)
    if kind == SPOT:
        cosine = -(
            dx * a.lights[light, LOOKS] + dy * a.lights[light, LOOKS + 1] + dz * a.lights[light, LOOKS + 2]
        )
        t = (cosine - a.lights[light, COS_OUTER]) / max(
            a.lights[light, COS_INNER] - a.lights[light, COS_OUTER], 1e-4
        )
        t = min(max(t, 0.0), 1.0)
        strength *= t * t
    return dx, dy, dz, distance, strength


@device
def pick_light(
    a: Any, px: float, py: float, pz: float, nx: float, ny: float, nz: float, below: bool, u: float
) -> tuple[int, float]:
    """A punctual light by what it would send here without shadows, and the chance with which it was picked;
    -1 when none reaches.
    """
    # One pass: each light takes over the pick with its share of the weight so far, and the random number is
    # stretched for reuse.
    total = 0.0
    chosen, chosen_weight = -1, 0.0
    for k in range(a.lights.shape[0]):
        dx, dy, dz, _, strength = light_at(a, k, px, py, pz)
        facing = dx * nx + dy * ny + dz * nz
        facing = max(abs(facing) if below else facing, 0.02)
        weight = strength * facing * (a.lights[k, POWER] + a.lights[k, POWER + 1] + a.lights[k, POWER + 2])
        if weight <= 0.0:
            continue
        total += weight
        share = weight / total
        if u < share:
            u /= share
            chosen, chosen_weight = k, weight
        else:
            u = (u - share) / (1.0 - share)
    if chosen < 0:
        return -1, 0.0
    return chosen, chosen_weight / total


@device
def glow_point(
    a: Any, px: float, py: float, pz: float, u: float, v: float
) -> tuple[float, float, float, float, int, float, float, float]:
    """A point on something that emits: direction to it, distance, triangle, its barycentrics, and the density
    over solid angle (0 when edge-on).
    """
    which, across = pick(a.glow_picking, 0, a.glow_triangles.shape[0], u)
    triangle = a.glow_triangles[which]
    root = math.sqrt(across)
    b, c = v * root, 1.0 - root
    i, j, k = a.triangles[triangle, 0], a.triangles[triangle, 1], a.triangles[triangle, 2]
    w = 1.0 - b - c
    x = w * a.positions[i, 0] + b * a.positions[j, 0] + c * a.positions[k, 0]
    y = w * a.positions[i, 1] + b * a.positions[j, 1] + c * a.positions[k, 1]
    z = w * a.positions[i, 2] + b * a.positions[j, 2] + c * a.positions[k, 2]
    dx, dy, dz = x - px, y - py, z - pz
    squared = dx * dx + dy * dy + dz * dz + 1e-12
    distance = math.sqrt(squared)
    dx, dy, dz = dx / distance, dy / distance, dz / distance
    return dx, dy, dz, distance, triangle, b, c, glow_solid_density(a, triangle, dx, dy, dz, squared)


@device
def glow_solid_density(a: Any, triangle: int, dx: float, dy: float, dz: float, squared: float) -> float:
    """Density over solid angle with which :func:`glow_point` picks a triangle's point in a direction at a
    squared distance; only its front glows.
    """
    i, j, k = a.triangles[triangle, 0], a.triangles[triangle, 1], a.triangles[triangle, 2]
    ax, ay, az = (
        a.positions[j, 0] - a.positions[i, 0],
        a.positions[j, 1] - a.positions[i, 1],
        a.positions[j, 2] - a.positions[i, 2],
    )
    bx, by, bz = (
        a.positions[k, 0] - a.positions[i, 0],
        a.positions[k, 1] - a.positions[i, 1],
        a.positions[k, 2] - a.positions[i, 2],
    )
    nx, ny, nz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    length = math.sqrt(nx * nx + ny * ny + nz * nz) + 1e-30
    cosine = -(nx * dx + ny * dy + nz * dz) / length
    if a.materials[a.triangle_material[triangle], TWO_SIDED] != 0.0:
        cosine = abs(cosine)
    if cosine < 1e-4:
        return 0.0
    return a.glow_density[triangle] * squared / cosine


@device
def sun_direction(a: Any, light: int, u: float, v: float) -> tuple[float, float, float]:
    """A direction to a sun: even over the cap that it is seen at."""
    dx, dy, dz = -a.lights[light, LOOKS], -a.lights[light, LOOKS + 1], -a.lights[light, LOOKS + 2]
    least = a.lights[light, COS_RADIUS]
    if least >= 1.0:
        return dx, dy, dz
    z = 1.0 - u * (1.0 - least)
    s = math.sqrt(max(1.0 - z * z, 0.0))
    x, y = s * math.cos(2.0 * math.pi * v), s * math.sin(2.0 * math.pi * v)
    t0, t1, t2, b0, b1, b2 = basis(dx, dy, dz)
    return x * t0 + y * b0 + z * dx, x * t1 + y * b1 + z * dy, x * t2 + y * b2 + z * dz
