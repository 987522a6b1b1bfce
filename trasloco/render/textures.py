"""Reading textures inside kernels: wrap, bilinear filter, transfer curve."""

from __future__ import annotations

import math
from typing import Any

from trasloco.rays.compiled import device, kernel, stays_whole
from trasloco.scene.color import SRGB8_TO_LINEAR

_LUT = SRGB8_TO_LINEAR


@device
def _address(i: int, size: int, wrap: int) -> int:
    """Texel number after wrapping; a repeating coordinate was brought to [-1, size] before."""
    if wrap == 0:
        return i + size if i < 0 else (i - size if i >= size else i)
    if wrap == 2:
        return min(max(i, 0), size - 1)
    period = i % (2 * size)
    return period if period < size else 2 * size - 1 - period


@device
def _texel(a: Any, at: int, deep: int, srgb: int) -> float:
    if deep == 0:
        if srgb == 1:
            return _LUT[a.texels8[at]]
        return a.texels8[at] * (1.0 / 255.0)
    value = a.texels16[at] * (1.0 / 65535.0)
    if srgb == 1:
        return value / 12.92 if value <= 0.04045 else math.pow((value + 0.055) / 1.055, 2.4)
    return value


@device
def placed_uv(a: Any, texture: int, u0: float, v0: float, u1: float, v1: float) -> tuple[float, float]:
    """Where in a texture the surface's UVs lie, before wrapping."""
    floats = a.texture_floats
    s, t = (u0, v0) if a.texture_words[texture, 8] == 0 else (u1, v1)
    return floats[texture, 0] * s + floats[texture, 1] * t + floats[texture, 2], floats[
        texture, 3
    ] * s + floats[texture, 4] * t + floats[texture, 5]


@kernel
def lookup(a: Any, texture: int, u0: float, v0: float, u1: float, v1: float) -> tuple[float, float, float]:
    """Bilinear value of a texture at the surface's two UV sets; a single channel answers three times."""
    stays_whole()
    words = a.texture_words
    start, width, height, channels = (
        words[texture, 0],
        words[texture, 1],
        words[texture, 2],
        words[texture, 3],
    )
    deep, srgb, wrap_u, wrap_v = words[texture, 4], words[texture, 5], words[texture, 6], words[texture, 7]
    u, v = placed_uv(a, texture, u0, v0, u1, v1)
    if wrap_u == 0:
        u -= math.floor(u)
    if wrap_v == 0:
        v -= math.floor(v)
    x = u * width - 0.5
    y = v * height - 0.5
    x0 = math.floor(x)
    y0 = math.floor(y)
    fx = x - x0
    fy = y - y0
    ix, iy = int(x0), int(y0)
    left, right = _address(ix, width, wrap_u), _address(ix + 1, width, wrap_u)
    top, bottom = _address(iy, height, wrap_v), _address(iy + 1, height, wrap_v)
    e = start + (top * width + left) * channels
    b = start + (top * width + right) * channels
    c = start + (bottom * width + left) * channels
    d = start + (bottom * width + right) * channels
    wa, wb, wc, wd = (1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy
    r = (
        wa * _texel(a, e, deep, srgb)
        + wb * _texel(a, b, deep, srgb)
        + wc * _texel(a, c, deep, srgb)
        + wd * _texel(a, d, deep, srgb)
    )
    if channels >= 3:
        g = (
            wa * _texel(a, e + 1, deep, srgb)
            + wb * _texel(a, b + 1, deep, srgb)
            + wc * _texel(a, c + 1, deep, srgb)
            + wd * _texel(a, d + 1, deep, srgb)
        )
        h = (
            wa * _texel(a, e + 2, deep, srgb)
            + wb * _texel(a, b + 2, deep, srgb)
            + wc * _texel(a, c + 2, deep, srgb)
            + wd * _texel(a, d + 2, deep, srgb)
        )
    else:
        g, h = r, r
    if words[texture, 9] == 1:
        return 1.0 - r, 1.0 - g, 1.0 - h
    return r, g, h
