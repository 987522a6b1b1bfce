"""Patterns of the MaterialX standard library that its implementations write in code: noise, cells, ramps,
splits.

Arrays in and out as in :mod:`trasloco.formats.graph_nodes`; coordinates are (H, W, 2) or (H, W, 3). Formulas
are those of the library's shading code (MaterialX 1.39, ``stdlib``): gradient noise on Bob Jenkins' hash, so
that every number is the one that a renderer with that library draws.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
import numpy.typing as npt

Values = npt.NDArray[np.float32]
Words = npt.NDArray[np.uint32]
Given = Mapping[str, Any]
_FAR = 2.0**30
_SECOND = {2: (19.0, 193.0), 3: (19.0, 193.0, 17.0)}
"""How far from a point its second, independent number is taken."""


def _turned(x: Words, k: int) -> Words:
    return (x << np.uint32(k)) | (x >> np.uint32(32 - k))


def _final(a: Words, b: Words, c: Words) -> Words:
    for k in (14, 11, 25, 16, 4, 14, 24):
        # c, a and b take turns: each is mixed with the one before it.
        c = (c ^ b) - _turned(b, k)
        a, b, c = b, c, a
    return b


def _hashed(*words: npt.NDArray[Any]) -> Words:
    """A hash of up to four whole numbers, (…) uint32 (Jenkins 2006, lookup3)."""
    seed = np.uint32((0xDEADBEEF + (len(words) << 2) + 13) & 0xFFFFFFFF)
    held = [seed + word.astype(np.int64).astype(np.uint32) for word in words[:3]]
    held += [np.full_like(held[0], seed)] * (3 - len(held))
    a, b, c = held[0], held[1], held[2]
    if len(words) > 3:
        a, b, c = _mixed(a, b, c)
        a = a + words[3].astype(np.int64).astype(np.uint32)
    return _final(a, b, c)


def _mixed(a: Words, b: Words, c: Words) -> tuple[Words, Words, Words]:
    for k in (4, 6, 8, 16, 19, 4):
        a = (a - c) ^ _turned(c, k)
        c = c + b
        a, b, c = b, c, a
    return a, b, c


def _share(bits: Words) -> Values:
    return np.asarray(bits / np.float32(0xFFFFFFFF), np.float32)


def _slope(hashed: Words, *away: Values) -> Values:
    """The slope at a corner times the way from it."""
    if len(away) == 2:
        x, y = away
        first = hashed & 7
        u, v = np.where(first < 4, x, y), 2 * np.where(first < 4, y, x)
    else:
        x, y, z = away
        first = hashed & 15
        u = np.where(first < 8, x, y)
        v = np.where(first < 4, y, np.where((first == 12) | (first == 14), x, z))
    return np.asarray(np.where(first & 1, -u, u) + np.where(first & 2, -v, v), np.float32)


def gradient_noise(p: Values, wide: bool = False) -> Values:
    """Gradient noise at (…, 2) or (…, 3) points: (…, 1), or (…, 3) independent numbers."""
    axes = p.shape[-1]
    whole = np.floor(p)
    part = (p - whole).astype(np.float32)
    corner = whole.astype(np.int64)
    fade = part**3 * (part * (part * 6 - 15) + 10)
    total = np.zeros((*p.shape[:-1], 3 if wide else 1), np.float32)
    for number in range(1 << axes):
        bits = [(number >> k) & 1 for k in range(axes)]
        hashed = _hashed(*(corner[..., k] + bits[k] for k in range(axes)))
        away = [part[..., k] - bits[k] for k in range(axes)]
        weight = np.ones(p.shape[:-1], np.float32)
        for k in range(axes):
            weight = weight * (fade[..., k] if bits[k] else 1 - fade[..., k])
        for c in range(total.shape[-1]):
            byte = (hashed >> np.uint32(8 * c)) & np.uint32(0xFF) if wide else hashed
            total[..., c] += weight * _slope(byte, *away)
    return np.asarray(total * np.float32(0.6616 if axes == 2 else 0.9820), np.float32)


def _as_wide(of: Callable[[Values, bool], Values], p: Values, width: int) -> Values:
    """Noise of one to four channels."""
    if width == 1:
        return of(p, False)
    second = np.asarray(p + np.array(_SECOND[p.shape[-1]], np.float32), np.float32)
    if width == 2:
        return np.concatenate([of(p, False), of(second, False)], axis=-1)
    return of(p, True) if width == 3 else np.concatenate([of(p, True), of(second, False)], axis=-1)


def _noise(given: Given, width: int) -> Values:
    return np.asarray(
        _as_wide(gradient_noise, _point(given), width) * given["amplitude"] + given["pivot"], np.float32
    )


def _fractal(given: Given, width: int) -> Values:
    octaves = int(np.ravel(given["octaves"])[0])
    lacunarity, diminish = given["lacunarity"], given["diminish"]

    def layered(p: Values, wide: bool) -> Values:
        total, strength, at = np.zeros((*p.shape[:-1], 3 if wide else 1), np.float32), np.float32(1), p
        for _ in range(min(max(octaves, 0), 12)):
            total = total + strength * gradient_noise(at, wide)
            strength = strength * diminish
            at = np.asarray(at * lacunarity, np.float32)
        return np.asarray(total, np.float32)

    return np.asarray(_as_wide(layered, _point(given), width) * given["amplitude"], np.float32)


def _cells(given: Given, width: int) -> Values:
    return _cell(_point(given))


def _cell(p: Values) -> Values:
    return _share(_hashed(*np.moveaxis(np.floor(p), -1, 0)))[..., None]


def _cell_points(corner: npt.NDArray[Any]) -> Values:
    """Three numbers in [0, 1] for each cell, (…, 3)."""
    held = np.moveaxis(corner, -1, 0)
    if len(held) == 2:
        return np.stack([_share(_hashed(*held, np.full_like(held[0], k))) for k in range(3)], axis=-1)
    seed = np.uint32((0xDEADBEEF + (4 << 2) + 13) & 0xFFFFFFFF)
    a, b, c = _mixed(*(seed + one.astype(np.int64).astype(np.uint32) for one in held))
    return np.stack([_share(_final(a + np.uint32(k), b, c)) for k in range(3)], axis=-1)


def _worley(given: Given, width: int) -> Values:
    """Distances to the nearest points, one in each cell; or the nearest cell's own numbers (style 1)."""
    p, jitter = _point(given), np.float32(np.ravel(given["jitter"])[0])
    axes, cell_style = p.shape[-1], int(np.ravel(given.get("style", 0))[0]) == 1
    whole = np.floor(p)
    part = (p - whole).astype(np.float32)
    nearest = np.full((*p.shape[:-1], 3), 1e6, np.float32)
    towards = np.zeros_like(part)
    for step in np.ndindex(*(3,) * axes):
        cell = np.array(step) - 1
        place = cell + (_cell_points(whole + cell)[..., :axes] - 0.5) * jitter + 0.5
        away = np.asarray(place - part, np.float32)
        square = np.sum(away * away, axis=-1)
        towards = np.where((square < nearest[..., 0])[..., None], away, towards)
        nearest = np.sort(np.concatenate([nearest, square[..., None]], axis=-1), axis=-1)[..., :3]
    if cell_style:
        found = np.asarray(towards + p, np.float32)
        return _cell(found) if width == 1 else _cell_points(np.floor(found))[..., :width]
    return np.asarray(np.sqrt(nearest[..., :width]), np.float32)


def _point(given: Given) -> Values:
    at = given["texcoord"] if "texcoord" in given else given["position"]
    if at.shape[-1] not in (2, 3):
        raise ValueError("a place has two or three coordinates")
    return np.asarray(np.clip(np.nan_to_num(at), -_FAR, _FAR), np.float32)


def _along(axis: int, first: str, last: str) -> Callable[[Given, int], Values]:
    def ramp(given: Given, width: int) -> Values:
        t = np.clip(_point(given)[..., axis : axis + 1], 0, 1)
        return np.asarray(given[first] + (given[last] - given[first]) * t, np.float32)

    return ramp


def _split(axis: int, first: str, last: str) -> Callable[[Given, int], Values]:
    def split(given: Given, width: int) -> Values:
        beyond = _point(given)[..., axis : axis + 1] >= given["center"]
        return np.asarray(np.where(beyond, given[last], given[first]), np.float32)

    return split


PATTERNS: dict[str, Callable[[Given, int], Values]] = {
    "noise2d": _noise,
    "noise3d": _noise,
    "fractal2d": _fractal,
    "fractal3d": _fractal,
    "cellnoise2d": _cells,
    "cellnoise3d": _cells,
    "worleynoise2d": _worley,
    "worleynoise3d": _worley,
    "ramplr": _along(0, "valuel", "valuer"),
    "ramptb": _along(1, "valueb", "valuet"),
    "splitlr": _split(0, "valuel", "valuer"),
    "splittb": _split(1, "valueb", "valuet"),
}
"""By category: what it is given, all inputs filled in, and how many channels it makes."""
