"""Which material is at a hit, and what its inputs are there."""

from __future__ import annotations

import math
from typing import Any

from trasloco.rays.compiled import device
from trasloco.render.flatten import ALPHA_MODE, BACK, BASE, COAT, COAT_ROUGH, CUTOFF, EMISSION, METAL, NORMAL, OPACITY, ROUGH, SPECULAR, SPECULAR_COLOR, TRANSMISSION, TWO_SIDED, VERTEX_COLOR
from trasloco.render.textures import lookup, placed_uv


@device
def layered3(a: Any, material: int, which: int, r: float, g: float, b: float, u0: float, v0: float, u1: float, v1: float) -> tuple[float, float, float]:
    """A value with the layers of its input over it (:func:`trasloco.scene.layers.laid_over`)."""
    for k in range(a.layer_spans[material, which, 0], a.layer_spans[material, which, 1]):
        amount = a.layers[k, 3]
        mask = int(a.layers[k, 1])
        if mask >= 0:
            share, _, _ = lookup(a.texture_words, a.texture_floats, a.texels8, a.texels16, mask, u0, v0, u1, v1)
            amount *= share
        texture = int(a.layers[k, 0])
        if a.layers[k, 7] != 0.0:
            s, t = placed_uv(a.texture_words, a.texture_floats, texture, u0, v0, u1, v1)
            if s < 0.0 or s > 1.0 or t < 0.0 or t > 1.0:
                continue
        x, y, z = lookup(a.texture_words, a.texture_floats, a.texels8, a.texels16, texture, u0, v0, u1, v1)
        x, y, z = x * a.layers[k, 4], y * a.layers[k, 5], z * a.layers[k, 6]
        blend = int(a.layers[k, 2])
        if blend == 1:
            x, y, z = r * x, g * y, b * z
        elif blend == 2:
            x, y, z = r + x, g + y, b + z
        elif blend == 3:
            x, y, z = r + x - r * x, g + y - g * y, b + z - b * z
        r, g, b = r + amount * (x - r), g + amount * (y - g), b + amount * (z - b)
    return r, g, b


@device
def input3(a: Any, material: int, which: int, u0: float, v0: float, u1: float, v1: float) -> tuple[float, float, float]:
    """Factor x texture of a colour input, with its layers."""
    return layered3(a, material, which, *plain3(a, material, which, u0, v0, u1, v1), u0, v0, u1, v1)


@device
def plain3(a: Any, material: int, which: int, u0: float, v0: float, u1: float, v1: float) -> tuple[float, float, float]:
    """Factor x texture of a colour input."""
    r, g, b = a.materials[material, 3 * which], a.materials[material, 3 * which + 1], a.materials[material, 3 * which + 2]
    texture = a.material_textures[material, which]
    if texture >= 0:
        x, y, z = lookup(a.texture_words, a.texture_floats, a.texels8, a.texels16, texture, u0, v0, u1, v1)
        return r * x, g * y, b * z
    return r, g, b


@device
def input1(a: Any, material: int, which: int, u0: float, v0: float, u1: float, v1: float) -> float:
    """Factor x texture of a scalar input, with its layers."""
    value = a.materials[material, 3 * which]
    texture = a.material_textures[material, which]
    if texture >= 0:
        x, _, _ = lookup(a.texture_words, a.texture_floats, a.texels8, a.texels16, texture, u0, v0, u1, v1)
        value *= x
    if a.layer_spans[material, which, 1] > a.layer_spans[material, which, 0]:
        value, _, _ = layered3(a, material, which, value, value, value, u0, v0, u1, v1)
    return value


@device
def uv_at(a: Any, triangle: int, u: float, v: float) -> tuple[float, float, float, float]:
    i, j, k = a.triangles[triangle, 0], a.triangles[triangle, 1], a.triangles[triangle, 2]
    w = 1.0 - u - v
    return (
        w * a.uv0[i, 0] + u * a.uv0[j, 0] + v * a.uv0[k, 0], w * a.uv0[i, 1] + u * a.uv0[j, 1] + v * a.uv0[k, 1],
        w * a.uv1[i, 0] + u * a.uv1[j, 0] + v * a.uv1[k, 0], w * a.uv1[i, 1] + u * a.uv1[j, 1] + v * a.uv1[k, 1],
    )


@device
def material_seen(a: Any, triangle: int, from_behind: bool) -> int:
    """The material on the side that is seen, or -1 where that side is not drawn."""
    material = a.triangle_material[triangle]
    if from_behind:
        back = int(a.materials[material, BACK])
        if back >= 0:
            return back
        if a.materials[material, TWO_SIDED] == 0.0:
            return -1
    return material


@device
def is_solid(a: Any, material: int, u0: float, v0: float, u1: float, v1: float, random: float) -> bool:
    """Whether a ray stops here by the alpha rules: opaque always, mask by the cut-off, blend by chance."""
    mode = a.materials[material, ALPHA_MODE]
    if mode == 0.0:
        return True
    opacity = input1(a, material, OPACITY, u0, v0, u1, v1)
    if mode == 1.0:
        return opacity >= a.materials[material, CUTOFF]
    return random < opacity


@device
def frame_at(a: Any, triangle: int, material: int, u: float, v: float, u0: float, v0: float, u1: float, v1: float, ox: float, oy: float, oz: float) -> Any:
    """Shading frame at a hit, turned to the viewer: tangent, bitangent, normal, then the geometric normal.

    The normal map bends the interpolated frame; a bent normal that would face away from the viewer is pulled back to the horizon.
    """
    i, j, k = a.triangles[triangle, 0], a.triangles[triangle, 1], a.triangles[triangle, 2]
    w = 1.0 - u - v
    ax, ay, az = a.positions[j, 0] - a.positions[i, 0], a.positions[j, 1] - a.positions[i, 1], a.positions[j, 2] - a.positions[i, 2]
    bx, by, bz = a.positions[k, 0] - a.positions[i, 0], a.positions[k, 1] - a.positions[i, 1], a.positions[k, 2] - a.positions[i, 2]
    gx, gy, gz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    length = math.sqrt(gx * gx + gy * gy + gz * gz) + 1e-30
    gx, gy, gz = gx / length, gy / length, gz / length
    nx = w * a.normals[i, 0] + u * a.normals[j, 0] + v * a.normals[k, 0]
    ny = w * a.normals[i, 1] + u * a.normals[j, 1] + v * a.normals[k, 1]
    nz = w * a.normals[i, 2] + u * a.normals[j, 2] + v * a.normals[k, 2]
    length = math.sqrt(nx * nx + ny * ny + nz * nz)
    if length < 1e-9:
        nx, ny, nz, length = gx, gy, gz, 1.0
    nx, ny, nz = nx / length, ny / length, nz / length
    if gx * ox + gy * oy + gz * oz < 0.0:
        gx, gy, gz = -gx, -gy, -gz
    turned = 1.0
    if nx * gx + ny * gy + nz * gz < 0.0:
        nx, ny, nz, turned = -nx, -ny, -nz, -1.0
    tx = w * a.tangents[i, 0] + u * a.tangents[j, 0] + v * a.tangents[k, 0]
    ty = w * a.tangents[i, 1] + u * a.tangents[j, 1] + v * a.tangents[k, 1]
    tz = w * a.tangents[i, 2] + u * a.tangents[j, 2] + v * a.tangents[k, 2]
    d = tx * nx + ty * ny + tz * nz
    tx, ty, tz = tx - d * nx, ty - d * ny, tz - d * nz
    length = math.sqrt(tx * tx + ty * ty + tz * tz)
    if length < 1e-9:
        if abs(nx) < 0.9:
            tx, ty, tz = 0.0, nz, -ny
        else:
            tx, ty, tz = -nz, 0.0, nx
        length = math.sqrt(tx * tx + ty * ty + tz * tz)
    tx, ty, tz = tx / length, ty / length, tz / length
    sign = a.tangents[i, 3] * turned
    sx, sy, sz = (ny * tz - nz * ty) * sign, (nz * tx - nx * tz) * sign, (nx * ty - ny * tx) * sign
    texture = a.material_textures[material, NORMAL]
    if texture >= 0:
        r, g, b = lookup(a.texture_words, a.texture_floats, a.texels8, a.texels16, texture, u0, v0, u1, v1)
        strength = a.texture_floats[texture, 6]
        mx, my, mz = (2.0 * r - 1.0) * strength, (2.0 * g - 1.0) * strength * a.texture_floats[texture, 7], 2.0 * b - 1.0
        px, py, pz = mx * tx + my * sx + mz * nx, mx * ty + my * sy + mz * ny, mx * tz + my * sz + mz * nz
        length = math.sqrt(px * px + py * py + pz * pz)
        if length > 1e-9:
            px, py, pz = px / length, py / length, pz / length
            facing = px * ox + py * oy + pz * oz
            if facing < 0.01:
                px, py, pz = px + (0.01 - facing) * ox, py + (0.01 - facing) * oy, pz + (0.01 - facing) * oz
                length = math.sqrt(px * px + py * py + pz * pz)
                px, py, pz = px / length, py / length, pz / length
            nx, ny, nz = px, py, pz
            d = tx * nx + ty * ny + tz * nz
            tx, ty, tz = tx - d * nx, ty - d * ny, tz - d * nz
            length = math.sqrt(tx * tx + ty * ty + tz * tz) + 1e-30
            tx, ty, tz = tx / length, ty / length, tz / length
    sx, sy, sz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
    return tx, ty, tz, sx, sy, sz, nx, ny, nz, gx, gy, gz


@device
def inputs_at(a: Any, triangle: int, material: int, u: float, v: float, u0: float, v0: float, u1: float, v1: float) -> Any:
    """Base colour, metalness, roughness, emission, coat, coat roughness, transmission, specular weight and colour."""
    r, g, b = plain3(a, material, BASE, u0, v0, u1, v1)
    if a.materials[material, VERTEX_COLOR] != 0.0:
        i, j, k = a.triangles[triangle, 0], a.triangles[triangle, 1], a.triangles[triangle, 2]
        w = 1.0 - u - v
        r *= w * a.colors[i, 0] + u * a.colors[j, 0] + v * a.colors[k, 0]
        g *= w * a.colors[i, 1] + u * a.colors[j, 1] + v * a.colors[k, 1]
        b *= w * a.colors[i, 2] + u * a.colors[j, 2] + v * a.colors[k, 2]
    r, g, b = layered3(a, material, BASE, r, g, b, u0, v0, u1, v1)
    er, eg, eb = input3(a, material, EMISSION, u0, v0, u1, v1)
    sr, sg, sb = input3(a, material, SPECULAR_COLOR, u0, v0, u1, v1)
    return (
        r, g, b, input1(a, material, METAL, u0, v0, u1, v1), input1(a, material, ROUGH, u0, v0, u1, v1), er, eg, eb,
        input1(a, material, COAT, u0, v0, u1, v1), input1(a, material, COAT_ROUGH, u0, v0, u1, v1), input1(a, material, TRANSMISSION, u0, v0, u1, v1),
        input1(a, material, SPECULAR, u0, v0, u1, v1), sr, sg, sb,
    )
