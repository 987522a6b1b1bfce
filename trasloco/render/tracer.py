"""Tiles of a picture or of a lightmap: where each path starts, and where its light is kept."""

from __future__ import annotations

import math
from typing import Any

from trasloco.rays.compiled import device, kernel
from trasloco.render.along import AWAY, MATERIAL, PART, RAYS, SCRATCH, STRAIGHT
from trasloco.render.columns import EYE, FILTER, FOCUS, FORWARD, LENS, PREVIEW, RIGHT, SET, UNDER_TEXELS, UP
from trasloco.render.path import GUIDES, trace_path
from trasloco.render.sampling import random_pair
from trasloco.render.starts import BACKS, EVEN, FROM, ODD

_TRIES = 12
_OTHER_SET = 1540483477

__all__ = ["GUIDES", "SCRATCH", "trace_tile"]


@device
def _tent(u: float) -> float:
    """A number with the density of a tent over [-1, 1]."""
    return math.sqrt(2.0 * u) - 1.0 if u < 0.5 else 1.0 - math.sqrt(2.0 - 2.0 * u)


@device
def _under_texel(texels: Any, width: int, x: int, y: int, jx: float, jy: float) -> tuple[int, float, float]:
    """Row of the triangle under a random place of a texel and its barycentrics there.

    Where none is, other places are tried, so that a texel at a border has the mean of what it covers; and
    when none of them is covered, the surface's nearest place is taken.
    """
    at = y * width + x
    chosen, best, cu, cv = -1, -1e30, 0.0, 0.0
    for attempt in range(_TRIES):
        px, py = x + (jx + attempt * 0.7548776662) % 1.0, y + (jy + attempt * 0.5698402910) % 1.0
        for k in range(texels.spans[at], texels.spans[at + 1]):
            row = texels.rows[k]
            x0, y0 = texels.corners[row, 0, 0], texels.corners[row, 0, 1]
            ax, ay, bx, by = (
                texels.corners[row, 1, 0] - x0,
                texels.corners[row, 1, 1] - y0,
                texels.corners[row, 2, 0] - x0,
                texels.corners[row, 2, 1] - y0,
            )
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


@device
def _from_surface(
    a: Any, triangle: int, u: float, v: float
) -> tuple[float, float, float, float, float, float]:
    """A place on a triangle, and the way out of its back (not of unit length): what a path that starts there
    is seen against.
    """
    i, j, k = a.triangles[triangle, 0], a.triangles[triangle, 1], a.triangles[triangle, 2]
    w = 1.0 - u - v
    px = w * a.positions[i, 0] + u * a.positions[j, 0] + v * a.positions[k, 0]
    py = w * a.positions[i, 1] + u * a.positions[j, 1] + v * a.positions[k, 1]
    pz = w * a.positions[i, 2] + u * a.positions[j, 2] + v * a.positions[k, 2]
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
    return px, py, pz, az * by - ay * bz, ax * bz - az * bx, ay * bx - ax * by


@device
def _from_eye(
    camera: Any, sx: float, sy: float, lens: bool, lu: float, lv: float
) -> tuple[float, float, float, float, float, float]:
    """The eye's place and the way (not of unit length) through a point of the picture, -1 to 1 across and up;
    with a ``lens``, from anywhere on it to what is in focus.
    """
    dx = camera[FORWARD] + sx * camera[RIGHT] + sy * camera[UP]
    dy = camera[FORWARD + 1] + sx * camera[RIGHT + 1] + sy * camera[UP + 1]
    dz = camera[FORWARD + 2] + sx * camera[RIGHT + 2] + sy * camera[UP + 2]
    px, py, pz = camera[EYE], camera[EYE + 1], camera[EYE + 2]
    if lens and camera[LENS] > 0.0:
        r, phi = camera[LENS] * math.sqrt(lu), 2.0 * math.pi * lv
        rl = math.sqrt(
            camera[RIGHT] * camera[RIGHT]
            + camera[RIGHT + 1] * camera[RIGHT + 1]
            + camera[RIGHT + 2] * camera[RIGHT + 2]
        )
        ul = math.sqrt(
            camera[UP] * camera[UP] + camera[UP + 1] * camera[UP + 1] + camera[UP + 2] * camera[UP + 2]
        )
        cx, cy = r * math.cos(phi) / rl, r * math.sin(phi) / ul
        ax, ay, az = (
            cx * camera[RIGHT] + cy * camera[UP],
            cx * camera[RIGHT + 1] + cy * camera[UP + 1],
            cx * camera[RIGHT + 2] + cy * camera[UP + 2],
        )
        dx, dy, dz = camera[FOCUS] * dx - ax, camera[FOCUS] * dy - ay, camera[FOCUS] * dz - az
        px, py, pz = px + ax, py + ay, pz + az
    return px, py, pz, dx, dy, dz


@kernel
def trace_tile(
    a: Any,
    tracing: Any,
    floats: Any,
    words: Any,
    s: Any,
    lit: Any,
    camera: Any,
    texels: Any,
    width: int,
    height: int,
    x0: int,
    x1: int,
    y0: int,
    y1: int,
    first: int,
    last: int,
    bounces: int,
    even: Any,
    odd: Any,
    guides: Any,
    ids: Any,
    seen: Any,
) -> int:
    """Add samples [first, last) of a tile to ``even`` and ``odd`` (layers, rows, columns, 3) by the sample's
    number, to ``guides`` (rows, columns, 6); ids (rows, columns, 2) with sample 0, of what is at the middle.

    The arrays hold the tile alone. ``camera`` and its columns are those of :mod:`trasloco.render.columns`;
    paths start under ``texels`` (:class:`trasloco.render.starts.Texels`) where it says so. ``s``, ``lit``
    (layers, 3) and ``seen`` (3,) are scratch. Returns rays traced.
    """
    seen[RAYS] = 0
    layers = lit.shape[0]
    for y in range(y0, y1):
        for x in range(x0, x1):
            place = y * width + x + int(camera[SET]) * 16777259
            row, column = y - y0, x - x0
            # Before the first sample a look at the pixel's middle, everything sharp, tells what stands there.
            begin = first - 1 if first == 0 and camera[UNDER_TEXELS] == 0.0 else first
            for number in range(begin, last):
                looking = number < 0
                # Even and odd samples are two sets of their own, so that their difference tells the noise:
                # halves of one set would lean against each other.
                sample, pixel = max(number, 0) >> 1, place ^ ((number & 1) * _OTHER_SET)
                start, su, sv = -1, 0.0, 0.0
                jx, jy = random_pair(pixel, sample, 0)
                if camera[UNDER_TEXELS] != 0.0:
                    under, su, sv = _under_texel(texels, width, x, y, jx, jy)
                    if under < 0:
                        continue
                    start = texels.triangles[under]
                    px, py, pz, dx, dy, dz = _from_surface(a, start, su, sv)
                else:
                    # A tent as wide as asked: neighbours share a sample's light as a film's grains do, by
                    # where samples fall and not by weights.
                    jx, jy = 0.5 + camera[FILTER] * _tent(jx), 0.5 + camera[FILTER] * _tent(jy)
                    if looking:
                        jx, jy = 0.5, 0.5
                    lu, lv = random_pair(pixel, sample, 900)
                    px, py, pz, dx, dy, dz = _from_eye(
                        camera,
                        2.0 * (x + jx) / width - 1.0,
                        1.0 - 2.0 * (y + jy) / height,
                        not looking,
                        lu,
                        lv,
                    )
                length = math.sqrt(dx * dx + dy * dy + dz * dz) + 1e-30
                for k in range(layers):
                    lit[k, 0] = lit[k, 1] = lit[k, 2] = 0.0
                backs = guides[row, column, BACKS]
                for k in range(STRAIGHT, SCRATCH):
                    s[k] = 0.0
                trace_path(
                    a,
                    tracing,
                    floats,
                    words,
                    s,
                    lit,
                    guides[row, column],
                    pixel,
                    sample,
                    start,
                    su,
                    sv,
                    px,
                    py,
                    pz,
                    dx / length,
                    dy / length,
                    dz / length,
                    0 if looking else bounces,
                    camera[PREVIEW] != 0.0,
                    seen,
                )
                if looking:
                    ids[row, column, 0], ids[row, column, 1] = seen[MATERIAL], seen[PART]
                    continue
                scale = 1.0
                if start >= 0:
                    # Illuminance is pi times what a dull white surface sends. What starts inside of something
                    # does not count.
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
    return int(seen[RAYS])
