"""The path tracer: unidirectional, next-event estimation for every light, multiple importance sampling with the environment."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from trasloco.rays.compiled import device, kernel
from trasloco.rays.kernels import hit_nearest
from trasloco.render.closures import MIN_ALPHA, ggx_sample, lobe_shares, scatter, schlick
from trasloco.render.flatten import EMISSION, IOR, UNLIT
from trasloco.render.lighting import EPSILON, environment_direction, environment_seen, environment_texel, glow_point, glow_solid_density, light_at, passed, pick_light
from trasloco.render.sampling import cosine_direction, random_pair
from trasloco.render.surface import frame_at, input3, inputs_at, is_solid, material_seen, uv_at

_DIMENSIONS_A_BOUNCE = 7
_MAX_EVENTS = 48
INDIRECT_ALPHA = 0.2


@device
def trace_path(a: Any, tracing: Any, floats: Any, words: Any, pixel: int, sample: int, px: float, py: float, pz: float, dx: float, dy: float, dz: float, bounces: int, seen: Any) -> tuple[float, float, float]:
    """Radiance along a ray, rgb in nit. ``seen[0]`` and ``seen[1]`` get the first hit's material and part, -1 for none; ``seen[2]`` counts rays."""
    lr, lg, lb = 0.0, 0.0, 0.0
    tr, tg, tb = 1.0, 1.0, 1.0
    density = -1.0
    bounce = 0
    near = 0.0
    fromx, fromy, fromz = px, py, pz
    seen[0] = -1
    seen[1] = -1
    for event in range(_MAX_EVENTS):
        triangle = hit_nearest(tracing[0], tracing[1], floats, words, px, py, pz, dx, dy, dz, near, np.inf)
        seen[2] += 1
        if triangle < 0:
            if density < 0.0:
                er, eg, eb = environment_seen(a, dx, dy, dz)
                weight = 1.0
            else:
                row, column, _, _ = environment_texel(a, dx, dy, dz)
                er, eg, eb = a.environment[row, column, 0], a.environment[row, column, 1], a.environment[row, column, 2]
                weight = density / (density + a.env_density[row, column])
            return lr + tr * er * weight, lg + tg * eg * weight, lb + tb * eb * weight
        distance, u, v = float(floats[8]), float(floats[15]), float(floats[16])
        behind = dx * floats[12] + dy * floats[13] + dz * floats[14] > 0.0
        material = material_seen(a, triangle, behind)
        dimension = bounce * _DIMENSIONS_A_BOUNCE
        solid = material >= 0
        u0, v0, u1, v1 = 0.0, 0.0, 0.0, 0.0
        if solid:
            u0, v0, u1, v1 = uv_at(a, triangle, u, v)
            chance, _ = random_pair(pixel, sample, 1000 + event)
            solid = is_solid(a, material, u0, v0, u1, v1, chance)
        if not solid:
            near = distance + max(EPSILON, distance * 1e-6)
            continue
        if seen[0] < 0:
            seen[0] = material
            seen[1] = a.triangle_part[triangle]
        r, g, b, metalness, roughness, er, eg, eb, coat, coat_roughness, through, specular, sr, sg, sb = inputs_at(a, triangle, material, u, v, u0, v0, u1, v1)
        if a.materials[material, UNLIT] != 0.0:
            return lr + tr * r, lg + tg * g, lb + tb * b
        if er + eg + eb > 0.0:
            weight = 1.0
            if density >= 0.0 and a.glow_density[triangle] > 0.0:
                ex, ey, ez = px + dx * distance - fromx, py + dy * distance - fromy, pz + dz * distance - fromz
                other = glow_solid_density(a, triangle, dx, dy, dz, ex * ex + ey * ey + ez * ez)
                weight = density / (density + other) if other > 0.0 else 1.0
            lr, lg, lb = lr + tr * er * weight, lg + tg * eg * weight, lb + tb * eb * weight
        if bounce >= bounces:
            return lr, lg, lb
        ox, oy, oz = -dx, -dy, -dz
        tx, ty, tz, sx, sy, sz, nx, ny, nz, gx, gy, gz = frame_at(a, triangle, material, u, v, u0, v0, u1, v1, ox, oy, oz)
        ratio = (a.materials[material, IOR] - 1.0) / (a.materials[material, IOR] + 1.0)
        f0 = ratio * ratio
        fr, fg, fb = min(f0 * sr, 1.0) * specular, min(f0 * sg, 1.0) * specular, min(f0 * sb, 1.0) * specular
        wx, wy, wz = ox * tx + oy * ty + oz * tz, ox * sx + oy * sy + oz * sz, ox * nx + oy * ny + oz * nz
        diffuse_weight = 1.0 - through
        if through > 0.0 and metalness < 1.0:
            # Thin glass: straight on with (1 - Fresnel); picked by chance, so the other lobes are divided by theirs.
            go = through * (1.0 - metalness) * (1.0 - schlick(f0 * specular, max(wz, 0.0)))
            chance, _ = random_pair(pixel, sample, 2000 + event)
            if chance < go:
                tr, tg, tb = tr * r, tg * g, tb * b
                near = distance + max(EPSILON, distance * 1e-6)
                continue
            keep = 1.0 / max(1.0 - go, 1e-6)
            tr, tg, tb = tr * keep, tg * keep, tb * keep
        # After the first bounce reflections are widened, as in path space regularization (Kaplanyan and Dachsbacher 2013):
        # light focused by shiny things onto dull ones would otherwise be specks that never average out.
        least = MIN_ALPHA if bounce == 0 else INDIRECT_ALPHA
        alpha = max(roughness * roughness, least)
        coat_alpha = max(coat_roughness * coat_roughness, least)
        hx, hy, hz = px + dx * distance, py + dy * distance, pz + dz * distance
        lift = EPSILON * (1.0 + distance)
        qx, qy, qz = hx + gx * lift, hy + gy * lift, hz + gz * lift

        if a.lights.shape[0] > 0:
            pick_u, shadow_u = random_pair(pixel, sample, dimension + 1)
            light, chance = pick_light(a, hx, hy, hz, nx, ny, nz, pick_u)
            if light >= 0:
                ix, iy, iz, far, strength = light_at(a, light, qx, qy, qz)
                if ix * gx + iy * gy + iz * gz > 0.0:
                    vr, vg, vb, _ = scatter(wx, wy, wz, ix * tx + iy * ty + iz * tz, ix * sx + iy * sy + iz * sz, ix * nx + iy * ny + iz * nz, r, g, b, metalness, alpha, fr, fg, fb, specular, coat, coat_alpha, diffuse_weight)
                    if vr + vg + vb > 0.0:
                        ar, ag, ab = 1.0, 1.0, 1.0
                        if a.lights[light, 12] != 0.0:
                            ar, ag, ab = passed(a, tracing, floats, words, qx, qy, qz, ix, iy, iz, far * 0.9999, shadow_u, seen)
                        scale = strength / chance
                        lr += tr * vr * ar * scale * a.lights[light, 7]
                        lg += tg * vg * ag * scale * a.lights[light, 8]
                        lb += tb * vb * ab * scale * a.lights[light, 9]

        eu, ev = random_pair(pixel, sample, dimension + 2)
        ix, iy, iz, row, column, env_density = environment_direction(a, eu, ev)
        if env_density > 0.0 and ix * gx + iy * gy + iz * gz > 0.0:
            vr, vg, vb, other = scatter(wx, wy, wz, ix * tx + iy * ty + iz * tz, ix * sx + iy * sy + iz * sz, ix * nx + iy * ny + iz * nz, r, g, b, metalness, alpha, fr, fg, fb, specular, coat, coat_alpha, diffuse_weight)
            if vr + vg + vb > 0.0:
                shadow_u, _ = random_pair(pixel, sample, dimension + 3)
                ar, ag, ab = passed(a, tracing, floats, words, qx, qy, qz, ix, iy, iz, np.inf, shadow_u, seen)
                scale = 1.0 / (env_density + other)
                lr += tr * vr * ar * scale * a.environment[row, column, 0]
                lg += tg * vg * ag * scale * a.environment[row, column, 1]
                lb += tb * vb * ab * scale * a.environment[row, column, 2]

        if a.glow_triangles.shape[0] > 0:
            gu, gv = random_pair(pixel, sample, dimension + 6)
            ix, iy, iz, far, glow, gb, gc, glow_pdf = glow_point(a, qx, qy, qz, gu, gv)
            if glow_pdf > 0.0 and ix * gx + iy * gy + iz * gz > 0.0:
                vr, vg, vb, other = scatter(wx, wy, wz, ix * tx + iy * ty + iz * tz, ix * sx + iy * sy + iz * sz, ix * nx + iy * ny + iz * nz, r, g, b, metalness, alpha, fr, fg, fb, specular, coat, coat_alpha, diffuse_weight)
                if vr + vg + vb > 0.0:
                    shadow_u, _ = random_pair(pixel, sample, dimension + 3)
                    ar, ag, ab = passed(a, tracing, floats, words, qx, qy, qz, ix, iy, iz, far - max(EPSILON, far * 1e-4), shadow_u, seen)
                    if ar + ag + ab > 0.0:
                        ku0, kv0, ku1, kv1 = uv_at(a, glow, gb, gc)
                        er, eg, eb = input3(a, a.triangle_material[glow], EMISSION, ku0, kv0, ku1, kv1)
                        scale = 1.0 / (glow_pdf + other)
                        lr += tr * vr * ar * scale * er
                        lg += tg * vg * ag * scale * eg
                        lb += tb * vb * ab * scale * eb

        choose, roulette = random_pair(pixel, sample, dimension + 4)
        su, sv = random_pair(pixel, sample, dimension + 5)
        luminance = 0.2126 * r + 0.7152 * g + 0.0722 * b
        pd, ps, _ = lobe_shares(max(wz, 1e-4), luminance * diffuse_weight if metalness < 1.0 else luminance, metalness, 0.3333 * (fr + fg + fb), coat)
        if choose < pd:
            ix, iy, iz = cosine_direction(su, sv)
        else:
            mx, my, mz = ggx_sample(wx, wy, max(wz, 1e-4), alpha if choose < pd + ps else coat_alpha, su, sv)
            d = 2.0 * (wx * mx + wy * my + wz * mz)
            ix, iy, iz = d * mx - wx, d * my - wy, d * mz - wz
        vr, vg, vb, density = scatter(wx, wy, wz, ix, iy, iz, r, g, b, metalness, alpha, fr, fg, fb, specular, coat, coat_alpha, diffuse_weight)
        if density <= 1e-12:
            return lr, lg, lb
        tr, tg, tb = tr * vr / density, tg * vg / density, tb * vb / density
        dx, dy, dz = ix * tx + iy * sx + iz * nx, ix * ty + iy * sy + iz * ny, ix * tz + iy * sz + iz * nz
        if dx * gx + dy * gy + dz * gz <= 0.0:
            return lr, lg, lb
        if bounce >= 1:
            survive = min(max(tr, tg, tb), 0.95)
            if roulette >= survive:
                return lr, lg, lb
            tr, tg, tb = tr / survive, tg / survive, tb / survive
        px, py, pz = qx, qy, qz
        fromx, fromy, fromz = qx, qy, qz
        near = 0.0
        bounce += 1
    return lr, lg, lb


@kernel
def trace_tile(a: Any, tracing: Any, floats: Any, words: Any, camera: Any, width: int, height: int, x0: int, x1: int, y0: int, y1: int, first: int, last: int, bounces: int, even: Any, odd: Any, ids: Any, seen: Any) -> int:
    """Add samples [first, last) of a tile to ``even`` and ``odd`` (H, W, 3) by the sample's number; ids (H, W, 2) from sample 0.

    ``camera`` is 12 numbers: position, right, up, forward with right and up scaled to the picture's half sides. ``seen`` (3,) int64 is scratch. Returns rays traced.
    """
    seen[2] = 0
    for y in range(y0, y1):
        for x in range(x0, x1):
            pixel = y * width + x
            for sample in range(first, last):
                jx, jy = random_pair(pixel, sample, 0)
                if sample == 0:
                    jx, jy = 0.5, 0.5
                sx = 2.0 * (x + jx) / width - 1.0
                sy = 1.0 - 2.0 * (y + jy) / height
                dx = camera[9] + sx * camera[3] + sy * camera[6]
                dy = camera[10] + sx * camera[4] + sy * camera[7]
                dz = camera[11] + sx * camera[5] + sy * camera[8]
                length = math.sqrt(dx * dx + dy * dy + dz * dz)
                r, g, b = trace_path(a, tracing, floats, words, pixel, sample, camera[0], camera[1], camera[2], dx / length, dy / length, dz / length, bounces, seen)
                target = even if sample % 2 == 0 else odd
                target[y, x, 0] += r
                target[y, x, 1] += g
                target[y, x, 2] += b
                if sample == 0:
                    ids[y, x, 0] = seen[0]
                    ids[y, x, 1] = seen[1]
    return seen[2]
