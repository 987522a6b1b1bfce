"""What an input of a material is at a place on a surface."""

from __future__ import annotations

from typing import Any

import numpy as np

from trasloco.rays.compiled import device, kernel, stays_whole
from trasloco.render.textures import lookup, placed_uv


@kernel
def _value(
    a: Any, material: int, which: int, u0: float, v0: float, u1: float, v1: float, tint: Any
) -> tuple[float, float, float]:
    """Factor x texture x tint of an input, rgb, with its layers over it
    (:func:`trasloco.scene.layers.laid_over`). Called and not inlined: a hit asks for it many times.
    """
    stays_whole()
    layers = a.layers
    r, g, b = (
        a.materials[material, 3 * which] * tint[0],
        a.materials[material, 3 * which + 1] * tint[1],
        a.materials[material, 3 * which + 2] * tint[2],
    )
    texture = a.material_textures[material, which]
    if texture >= 0:
        x, y, z = lookup(a, texture, u0, v0, u1, v1)
        r, g, b = r * x, g * y, b * z
    for k in range(a.layer_spans[material, which, 0], a.layer_spans[material, which, 1]):
        amount = layers[k, 3]
        mask = int(layers[k, 1])
        if mask >= 0:
            share, _, _ = lookup(a, mask, u0, v0, u1, v1)
            amount *= share
        texture = int(layers[k, 0])
        if layers[k, 7] != 0.0:
            s, t = placed_uv(a, texture, u0, v0, u1, v1)
            if s < 0.0 or s > 1.0 or t < 0.0 or t > 1.0:
                continue
        x, y, z = lookup(a, texture, u0, v0, u1, v1)
        x, y, z = x * layers[k, 4], y * layers[k, 5], z * layers[k, 6]
        blend = int(layers[k, 2])
        if blend == 1:
            x, y, z = r * x, g * y, b * z
        elif blend == 2:
            x, y, z = r + x, g + y, b + z
        elif blend == 3:
            x, y, z = r + x - r * x, g + y - g * y, b + z - b * z
        r, g, b = r + amount * (x - r), g + amount * (y - g), b + amount * (z - b)
    return r, g, b


@device
def input3(
    a: Any, material: int, which: int, u0: float, v0: float, u1: float, v1: float
) -> tuple[float, float, float]:
    """A colour input at a hit, without vertex colour."""
    return tinted3(a, material, which, u0, v0, u1, v1, (1.0, 1.0, 1.0))


@device
def tinted3(
    a: Any, material: int, which: int, u0: float, v0: float, u1: float, v1: float, tint: Any
) -> tuple[float, float, float]:
    """A colour input at a hit, the vertex colour multiplied in below its layers."""
    if (
        a.material_textures[material, which] < 0
        and a.layer_spans[material, which, 1] == a.layer_spans[material, which, 0]
    ):
        return (
            a.materials[material, 3 * which] * tint[0],
            a.materials[material, 3 * which + 1] * tint[1],
            a.materials[material, 3 * which + 2] * tint[2],
        )
    return _value(a, material, which, u0, v0, u1, v1, tint)


@device
def input1(a: Any, material: int, which: int, u0: float, v0: float, u1: float, v1: float) -> float:
    """A scalar input at a hit."""
    value, _, _ = tinted3(a, material, which, u0, v0, u1, v1, (1.0, 1.0, 1.0))
    return value


@device
def material_of(a: Any, triangle: int) -> Any:
    """The number of a triangle's material, as wide as any other: what takes it is compiled once."""
    return np.int64(a.triangle_material[triangle])


@device
def uv_at(a: Any, triangle: int, u: float, v: float) -> tuple[float, float, float, float]:
    i, j, k = a.triangles[triangle, 0], a.triangles[triangle, 1], a.triangles[triangle, 2]
    w = 1.0 - u - v
    return (
        w * a.uv0[i, 0] + u * a.uv0[j, 0] + v * a.uv0[k, 0],
        w * a.uv0[i, 1] + u * a.uv0[j, 1] + v * a.uv0[k, 1],
        w * a.uv1[i, 0] + u * a.uv1[j, 0] + v * a.uv1[k, 0],
        w * a.uv1[i, 1] + u * a.uv1[j, 1] + v * a.uv1[k, 1],
    )


@device
def light_uv_at(a: Any, triangle: int, u: float, v: float) -> tuple[float, float]:
    """Where the light that a hit receives is written down."""
    i, j, k = a.triangles[triangle, 0], a.triangles[triangle, 1], a.triangles[triangle, 2]
    w = 1.0 - u - v
    return w * a.uv2[i, 0] + u * a.uv2[j, 0] + v * a.uv2[k, 0], w * a.uv2[i, 1] + u * a.uv2[j, 1] + v * a.uv2[
        k, 1
    ]
