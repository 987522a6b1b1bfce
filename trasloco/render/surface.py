"""Which material is at a hit, and what its inputs are there."""

from __future__ import annotations

import math
from typing import Any

from trasloco.rays.compiled import device, kernel, stays_whole
from trasloco.render.closures import record
from trasloco.render.closures.fresnel import index_for
from trasloco.render.closures.record import CN, VIEWER, B, G, N, T
from trasloco.render.columns import (
    ALPHA_MODE,
    ANISOTROPY,
    BACK,
    BASE,
    COAT,
    COAT_COLOR,
    COAT_DARKENING,
    COAT_NORMAL,
    COAT_ROUGH,
    CUTOFF,
    DISPERSION,
    DULL_ROUGH,
    FILM,
    FILM_INDEX,
    FILM_NM,
    IOR,
    METAL,
    NORMAL,
    OPACITY,
    PLAIN,
    ROUGH,
    SHEEN,
    SHEEN_ROUGH,
    SOLID,
    SPECULAR,
    SPECULAR_COLOR,
    SUBSURFACE,
    TRANSLUCENT,
    TRANSLUCENT_COLOR,
    TRANSMISSION,
    TURN,
    TWO_SIDED,
    VERTEX_COLOR,
)
from trasloco.render.relief import relief
from trasloco.render.values import input1, input3, material_of, tinted3

FIRST_INPUT = record.COLOR
MOST_INDEX = 399.0
"""The largest index of refraction; it reflects 99 %."""


@device
def material_seen(a: Any, triangle: int, from_behind: bool) -> int:
    """The material on the side that is seen, or -1 where that side is not drawn."""
    material = material_of(a, triangle)
    if from_behind:
        back = int(a.materials[material, BACK])
        if back >= 0:
            return back
        if a.materials[material, TWO_SIDED] == 0.0 and a.materials[material, SOLID] == 0.0:
            return -1
    return material


@device
def is_solid(
    a: Any,
    triangle: int,
    material: int,
    u: float,
    v: float,
    u0: float,
    v0: float,
    u1: float,
    v1: float,
    random: float,
) -> bool:
    """Whether a ray stops here by the alpha rules: opaque always, mask by the cut-off, blend by chance.

    Vertex colours multiply with their alpha (glTF 2.0, 3.9.2).
    """
    mode = a.materials[material, ALPHA_MODE]
    if mode == 0.0:
        return True
    opacity = input1(a, material, OPACITY, u0, v0, u1, v1)
    if a.materials[material, VERTEX_COLOR] != 0.0:
        i, j, k = a.triangles[triangle, 0], a.triangles[triangle, 1], a.triangles[triangle, 2]
        opacity *= (1.0 - u - v) * a.colors[i, 3] + u * a.colors[j, 3] + v * a.colors[k, 3]
    if mode == 1.0:
        return opacity >= a.materials[material, CUTOFF]
    return random < opacity


@kernel
def _square(s: Any, turn: float) -> None:
    """T and B square to N again, T turned about N by an angle."""
    nx, ny, nz = s[N], s[N + 1], s[N + 2]
    d = s[T] * nx + s[T + 1] * ny + s[T + 2] * nz
    tx, ty, tz = s[T] - d * nx, s[T + 1] - d * ny, s[T + 2] - d * nz
    length = math.sqrt(tx * tx + ty * ty + tz * tz) + 1e-30
    tx, ty, tz = tx / length, ty / length, tz / length
    bx, by, bz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
    # The frame's own bitangent says which way the turn runs.
    sign = 1.0 if bx * s[B] + by * s[B + 1] + bz * s[B + 2] >= 0.0 else -1.0
    c, k = math.cos(turn), math.sin(turn) * sign
    s[T], s[T + 1], s[T + 2] = c * tx + k * bx, c * ty + k * by, c * tz + k * bz
    s[B], s[B + 1], s[B + 2] = (
        ny * s[T + 2] - nz * s[T + 1],
        nz * s[T] - nx * s[T + 2],
        nx * s[T + 1] - ny * s[T],
    )


@device
def frame_at(a: Any, triangle: int, u: float, v: float, s: Any) -> None:
    """The interpolated frame at a hit, turned to the side of ``s[VIEWER:VIEWER+3]``: T, B, N, and the
    geometric normal G.
    """
    i, j, k = a.triangles[triangle, 0], a.triangles[triangle, 1], a.triangles[triangle, 2]
    w = 1.0 - u - v
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
    if gx * s[VIEWER] + gy * s[VIEWER + 1] + gz * s[VIEWER + 2] < 0.0:
        gx, gy, gz = -gx, -gy, -gz
    turned = 1.0
    if nx * gx + ny * gy + nz * gz < 0.0:
        # On the back the whole frame is reversed, so that a bent normal is reversed as a whole (glTF 2.0,
        # 3.9.4, doubleSided).
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
    tx, ty, tz = turned * tx / length, turned * ty / length, turned * tz / length
    sign = turned if a.tangents[i, 3] >= 0.0 else -turned
    s[T], s[T + 1], s[T + 2] = tx, ty, tz
    s[B], s[B + 1], s[B + 2] = (
        (ny * tz - nz * ty) * sign,
        (nz * tx - nx * tz) * sign,
        (nx * ty - ny * tx) * sign,
    )
    s[N], s[N + 1], s[N + 2] = nx, ny, nz
    s[G], s[G + 1], s[G + 2] = gx, gy, gz
    s[CN], s[CN + 1], s[CN + 2] = nx, ny, nz


@device
def put3(s: Any, at: int, value: tuple[float, float, float]) -> None:
    s[at], s[at + 1], s[at + 2] = value


@device
def out_of_the_inside(
    a: Any, triangle: int, u: float, v: float, x: float, y: float, z: float, s: Any
) -> None:
    """The record of a dull white surface on the side of a direction, seen straight on: where light comes out
    of the inside.
    """
    put3(s, VIEWER, (x, y, z))
    frame_at(a, triangle, u, v, s)
    for k in range(FIRST_INPUT, T):
        s[k] = 0.0
    s[record.COLOR] = s[record.COLOR + 1] = s[record.COLOR + 2] = 1.0
    s[record.ROUGH_X] = s[record.ROUGH_Y] = 1.0
    s[record.INDEX] = 1.0
    s[record.FILM] = 0.0
    put3(s, VIEWER, (s[N], s[N + 1], s[N + 2]))


@device
def base_at(
    a: Any, triangle: int, material: int, u: float, v: float, u0: float, v0: float, u1: float, v1: float
) -> tuple[float, float, float]:
    """The base colour at a hit, with the vertex colour where the material asks for it."""
    tint = (1.0, 1.0, 1.0)
    if a.materials[material, VERTEX_COLOR] != 0.0:
        i, j, k = a.triangles[triangle, 0], a.triangles[triangle, 1], a.triangles[triangle, 2]
        w = 1.0 - u - v
        tint = (
            w * a.colors[i, 0] + u * a.colors[j, 0] + v * a.colors[k, 0],
            w * a.colors[i, 1] + u * a.colors[j, 1] + v * a.colors[k, 1],
            w * a.colors[i, 2] + u * a.colors[j, 2] + v * a.colors[k, 2],
        )
    return tinted3(a, material, BASE, u0, v0, u1, v1, tint)


@device
def is_given(a: Any, material: int, which: int) -> bool:
    """Whether a colour input can be anything but black."""
    return (
        a.materials[material, 3 * which]
        + a.materials[material, 3 * which + 1]
        + a.materials[material, 3 * which + 2]
        > 0.0
        or a.layer_spans[material, which, 1] > a.layer_spans[material, which, 0]
    )


@device
def _specular(s: Any, index: float, level: float, r: float, g: float, b: float) -> None:
    """Index and tint that reflect min(F0 x colour, 1) x weight straight on (KHR_materials_specular); a weight
    scales the reflectance that the index has (OpenPBR).
    """
    f0 = ((index - 1.0) / (index + 1.0)) ** 2
    strongest = max(r, g, b)
    if strongest <= 1.0:
        put3(s, record.TINT, (r, g, b))
        s[record.INDEX] = index_for(f0 * level)
        return
    top = min(f0 * strongest, 1.0)
    if top <= 0.0:
        put3(s, record.TINT, (1.0, 1.0, 1.0))
        s[record.INDEX] = 1.0
        return
    put3(s, record.TINT, (min(f0 * r, 1.0) / top, min(f0 * g, 1.0) / top, min(f0 * b, 1.0) / top))
    s[record.INDEX] = index_for(top * level)


@device
def index_at(a: Any, material: int, u0: float, v0: float, u1: float, v1: float) -> float:
    """The index of refraction at a hit."""
    return min(max(input1(a, material, IOR, u0, v0, u1, v1), 1.0), MOST_INDEX)


@device
def apart_at(a: Any, material: int, u0: float, v0: float, u1: float, v1: float) -> float:
    """How much more blue light is bent than green, and red less, as a change of the index
    (KHR_materials_dispersion: 20 over the Abbe number, a fortieth of it on either side).
    """
    if a.materials[material, SOLID] == 0.0 or a.materials[material, 3 * DISPERSION] <= 0.0:
        return 0.0
    strength = max(input1(a, material, DISPERSION, u0, v0, u1, v1), 0.0)
    return (index_at(a, material, u0, v0, u1, v1) - 1.0) * 0.025 * strength


@kernel
def surface_at(
    a: Any,
    triangle: int,
    material: int,
    u: float,
    v: float,
    u0: float,
    v0: float,
    u1: float,
    v1: float,
    behind: bool,
    least: float,
    s: Any,
) -> None:
    """Fill the record with what the surface is at a hit (:mod:`trasloco.render.closures.layered`); ``least``
    is the least width of reflections.
    """
    stays_whole()
    row = a.materials[material]
    r, g, b = base_at(a, triangle, material, u, v, u0, v0, u1, v1)
    # No surface sends back more than it gets.
    put3(s, record.COLOR, (min(max(r, 0.0), 1.0), min(max(g, 0.0), 1.0), min(max(b, 0.0), 1.0)))
    s[record.METAL] = min(max(input1(a, material, METAL, u0, v0, u1, v1), 0.0), 1.0)
    rough = min(max(input1(a, material, ROUGH, u0, v0, u1, v1), 0.0), 1.0)
    s[record.ROUGH_X] = s[record.ROUGH_Y] = max(rough * rough, least)
    level = min(max(input1(a, material, SPECULAR, u0, v0, u1, v1), 0.0), 1.0)
    r, g, b = input3(a, material, SPECULAR_COLOR, u0, v0, u1, v1)
    index = index_at(a, material, u0, v0, u1, v1)
    index += s[record.WAVE] * apart_at(a, material, u0, v0, u1, v1)
    _specular(s, index, level, max(r, 0.0), max(g, 0.0), max(b, 0.0))
    s[record.COAT] = min(max(input1(a, material, COAT, u0, v0, u1, v1), 0.0), 1.0)
    if s[record.COAT] > 0.0:
        rough = min(max(input1(a, material, COAT_ROUGH, u0, v0, u1, v1), 0.0), 1.0)
        s[record.COAT_ALPHA] = max(rough * rough, least)
        put3(s, record.COAT_COLOR, input3(a, material, COAT_COLOR, u0, v0, u1, v1))
        s[record.COAT_DARKENING] = input1(a, material, COAT_DARKENING, u0, v0, u1, v1)
    s[record.DULL_ROUGHNESS] = min(max(input1(a, material, DULL_ROUGH, u0, v0, u1, v1), 0.0), 1.0)
    s[record.THROUGH] = min(max(input1(a, material, TRANSMISSION, u0, v0, u1, v1), 0.0), 1.0)
    s[record.SOLID] = row[SOLID]
    s[record.BEHIND] = 1.0 if behind else 0.0
    put3(s, record.SHEEN, (0.0, 0.0, 0.0))
    s[record.TRANSLUCENT] = s[record.BELOW] = s[record.FILM] = 0.0
    relief(a, material, NORMAL, u0, v0, u1, v1, s, N)
    turn = 0.0
    if row[PLAIN] == 0.0:
        r, g, b = input3(a, material, SHEEN, u0, v0, u1, v1)
        put3(s, record.SHEEN, (min(max(r, 0.0), 1.0), min(max(g, 0.0), 1.0), min(max(b, 0.0), 1.0)))
        s[record.SHEEN_ROUGHNESS] = min(max(input1(a, material, SHEEN_ROUGH, u0, v0, u1, v1), 0.0), 1.0)
        s[record.TRANSLUCENT] = min(max(input1(a, material, TRANSLUCENT, u0, v0, u1, v1), 0.0), 1.0)
        put3(s, record.TRANSLUCENT_COLOR, input3(a, material, TRANSLUCENT_COLOR, u0, v0, u1, v1))
        s[record.BELOW] = min(max(input1(a, material, SUBSURFACE, u0, v0, u1, v1), 0.0), 1.0)
        relief(a, material, COAT_NORMAL, u0, v0, u1, v1, s, CN)
        s[record.FILM] = min(max(input1(a, material, FILM, u0, v0, u1, v1), 0.0), 1.0)
        if s[record.FILM] > 0.0:
            s[record.FILM_INDEX] = max(input1(a, material, FILM_INDEX, u0, v0, u1, v1), 1.0)
            s[record.FILM_NM] = max(input1(a, material, FILM_NM, u0, v0, u1, v1), 0.0)
        strength = input1(a, material, ANISOTROPY, u0, v0, u1, v1)
        if strength > 0.0:
            # KHR_materials_anisotropy: wider along the tangent, from the roughness itself to 1.
            s[record.ROUGH_X] += (1.0 - s[record.ROUGH_X]) * min(strength, 1.0) ** 2
            turn = input1(a, material, TURN, u0, v0, u1, v1)
    _square(s, turn)
