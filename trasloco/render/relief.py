"""Normals bent by relief: normal maps, and layers of them over one another."""

from __future__ import annotations

import math
from typing import Any

from trasloco.rays.compiled import device, kernel, stays_whole
from trasloco.render.closures.record import VIEWER, B, T
from trasloco.render.textures import lookup, placed_uv


@device
def _direction(
    a: Any, texture: int, u0: float, v0: float, u1: float, v1: float
) -> tuple[float, float, float]:
    """What a normal map says: its directions as they are told, along T, B and N, not of length one."""
    r, g, b = lookup(a, texture, u0, v0, u1, v1)
    floats = a.texture_floats
    strength = floats[texture, 6]
    return (2.0 * r - 1.0) * strength, (2.0 * g - 1.0) * strength * floats[texture, 7], 2.0 * b - 1.0


@kernel
def _relief_over(
    a: Any,
    material: int,
    which: int,
    u0: float,
    v0: float,
    u1: float,
    v1: float,
    x: float,
    y: float,
    z: float,
) -> tuple[float, float, float]:
    """Relief with layers of relief over it (:func:`trasloco.scene.layers.bent_over`)."""
    layers = a.layers
    for k in range(a.layer_spans[material, which, 0], a.layer_spans[material, which, 1]):
        length = math.sqrt(x * x + y * y + z * z) + 1e-9
        x, y, z = x / length, y / length, z / length
        texture, amount, mask = int(layers[k, 0]), layers[k, 3], int(layers[k, 1])
        if mask >= 0:
            share, _, _ = lookup(a, mask, u0, v0, u1, v1)
            amount *= share
        if layers[k, 7] != 0.0:
            s, t = placed_uv(a, texture, u0, v0, u1, v1)
            if s < 0.0 or s > 1.0 or t < 0.0 or t > 1.0:
                continue
        lx, ly, lz = _direction(a, texture, u0, v0, u1, v1)
        if layers[k, 2] == 2.0:
            lx, ly, lz = lx + lz * x, ly + lz * y, lz * z
        length = math.sqrt(lx * lx + ly * ly + lz * lz) + 1e-9
        lx, ly, lz = lx / length, ly / length, lz / length
        x, y, z = x + amount * (lx - x), y + amount * (ly - y), z + amount * (lz - z)
    return x, y, z


@kernel
def _bent(
    a: Any, material: int, which: int, u0: float, v0: float, u1: float, v1: float, s: Any, at: int
) -> None:
    """The normal at ``s[at:at+3]`` bent by an input's relief in the frame at T, B; one that would face away
    from the viewer is pulled back to the horizon.
    """
    stays_whole()
    mx, my, mz = 0.0, 0.0, 1.0
    texture = a.material_textures[material, which]
    if texture >= 0:
        mx, my, mz = _direction(a, texture, u0, v0, u1, v1)
    mx, my, mz = _relief_over(a, material, which, u0, v0, u1, v1, mx, my, mz)
    nx, ny, nz = s[at], s[at + 1], s[at + 2]
    px, py, pz = (
        mx * s[T] + my * s[B] + mz * nx,
        mx * s[T + 1] + my * s[B + 1] + mz * ny,
        mx * s[T + 2] + my * s[B + 2] + mz * nz,
    )
    length = math.sqrt(px * px + py * py + pz * pz)
    if length <= 1e-9:
        return
    px, py, pz = px / length, py / length, pz / length
    facing = px * s[VIEWER] + py * s[VIEWER + 1] + pz * s[VIEWER + 2]
    if facing < 0.01:
        px, py, pz = (
            px + (0.01 - facing) * s[VIEWER],
            py + (0.01 - facing) * s[VIEWER + 1],
            pz + (0.01 - facing) * s[VIEWER + 2],
        )
        length = math.sqrt(px * px + py * py + pz * pz)
        px, py, pz = px / length, py / length, pz / length
    s[at], s[at + 1], s[at + 2] = px, py, pz


@device
def relief(
    a: Any, material: int, which: int, u0: float, v0: float, u1: float, v1: float, s: Any, at: int
) -> None:
    """The normal at ``s[at:at+3]`` bent by an input's relief, where it has any."""
    if a.material_textures[material, which] < 0 and (
        a.layer_spans[material, which, 0] == a.layer_spans[material, which, 1]
    ):
        return
    _bent(a, material, which, u0, v0, u1, v1, s, at)
