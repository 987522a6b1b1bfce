"""The inside of a solid that lets light through: what it takes and what it scatters (OpenPBR Surface 1.1,
transmission; KHR_materials_volume for what is only absorbed).
"""

from __future__ import annotations

import math
from typing import Any

from trasloco.rays.compiled import device, kernel, stays_whole
from trasloco.rays.kernels import hit_nearest
from trasloco.render.columns import LEFT, LEFT_AFTER, SCATTERED, SCATTERED_ON
from trasloco.render.sampling import basis, random_pair
from trasloco.render.values import input1, input3

PLACE, WAY, EXTINCTION, SCATTERING, MEAN_COSINE, CARRIED = 0, 3, 6, 9, 12, 13
LENGTH = 16
"""A path in a medium: where it is and where it goes, per metre what is taken from it and what of that is
scattered, rgb, the mean cosine of scattering, and what the path carries, rgb.
"""
OPEN, ABSORBED = -1, -2
"""What stands for a triangle where there is no boundary to be met, and where nothing of the light is left."""
MOST_STEPS = 512


@kernel
def inside_at(
    a: Any, material: int, u0: float, v0: float, u1: float, v1: float
) -> tuple[float, float, float, float, float, float]:
    """What is taken per metre, rgb, of light below a hit, absorbed or scattered, and what of it is scattered.

    The colour is what is left of white after the distance (Beer and Lambert). Where more is scattered than is
    taken in all, as much grey is taken besides as leaves no absorption below 0 (OpenPBR Surface 1.1).
    """
    stays_whole()
    distance = input1(a, material, LEFT_AFTER, u0, v0, u1, v1)
    if not (0.0 < distance < math.inf):
        return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    r, g, b = input3(a, material, LEFT, u0, v0, u1, v1)
    r, g, b = (
        -math.log(min(max(r, 1e-6), 1.0)) / distance,
        -math.log(min(max(g, 1e-6), 1.0)) / distance,
        -math.log(min(max(b, 1e-6), 1.0)) / distance,
    )
    sr, sg, sb = input3(a, material, SCATTERED, u0, v0, u1, v1)
    sr, sg, sb = max(sr, 0.0) / distance, max(sg, 0.0) / distance, max(sb, 0.0) / distance
    gray = max(sr - r, sg - g, sb - b, 0.0)
    return r + gray, g + gray, b + gray, sr, sg, sb


@device
def entered(a: Any, state: Any, material: int, u0: float, v0: float, u1: float, v1: float) -> None:
    """Note what a path is inside of from here on."""
    r, g, b, sr, sg, sb = inside_at(a, material, u0, v0, u1, v1)
    state[EXTINCTION], state[EXTINCTION + 1], state[EXTINCTION + 2] = r, g, b
    state[SCATTERING], state[SCATTERING + 1], state[SCATTERING + 2] = sr, sg, sb
    on = input1(a, material, SCATTERED_ON, u0, v0, u1, v1)
    state[MEAN_COSINE] = min(max(on, -0.98), 0.98)


@device
def left(state: Any) -> None:
    """Note that a path is inside of nothing."""
    for k in range(EXTINCTION, MEAN_COSINE + 1):
        state[k] = 0.0


@device
def takes(state: Any) -> bool:
    """Whether a path is inside of what takes some of its light."""
    return bool(state[EXTINCTION] + state[EXTINCTION + 1] + state[EXTINCTION + 2] > 0.0)


@device
def scatters(state: Any) -> bool:
    """Whether a path is inside of what scatters it."""
    return bool(state[SCATTERING] + state[SCATTERING + 1] + state[SCATTERING + 2] > 0.0)


@device
def scattered_cosine(mean: float, chance: float) -> float:
    """Cosine of the angle by which light is turned (Henyey and Greenstein 1941), for a number from 0 to 1."""
    if abs(mean) < 1e-3:
        return 1.0 - 2.0 * chance
    root = (1.0 - mean * mean) / (1.0 - mean + 2.0 * mean * chance)
    return min(max((1.0 + mean * mean - root * root) / (2.0 * mean), -1.0), 1.0)


@kernel
def crossed(
    intersect: int,
    scene: int,
    floats: Any,
    words: Any,
    state: Any,
    seen: Any,
    triangle: int,
    since: float,
    pixel: int,
    sample: int,
    dimension: int,
) -> int:
    """Go on through a medium that scatters, to its boundary.

    ``floats`` holds the hit of ``triangle``, which lies ahead; the way up to ``since`` metres is done. Free
    ways are drawn for one colour, picked by what it carries, and weighed by the chances of all three, so that
    none is ever divided by its own alone. ``state`` is as the names of this module say, and afterwards holds
    where the last stretch began; returns the triangle that ends it, whose hit is in ``floats``, or
    :data:`OPEN` or :data:`ABSORBED`. ``seen[2]`` counts rays.
    """
    begun = max(state[CARRIED], state[CARRIED + 1], state[CARRIED + 2])
    for step in range(MOST_STEPS):
        whole = state[CARRIED] + state[CARRIED + 1] + state[CARRIED + 2]
        if whole <= 0.0:
            return ABSORBED
        u, v = random_pair(pixel, sample, dimension + 3 * step)
        w, pick = random_pair(pixel, sample, dimension + 3 * step + 1)
        color = 0
        if pick * whole >= state[CARRIED]:
            color = 1 if pick * whole < state[CARRIED] + state[CARRIED + 1] else 2
        far = math.inf
        if state[EXTINCTION + color] > 0.0:
            far = -math.log(max(1.0 - u, 1e-12)) / state[EXTINCTION + color]
        way = float(floats[8]) - since
        ends = far >= way
        if ends:
            far = way
        chance = 0.0
        for k in range(3):
            kept = math.exp(-state[EXTINCTION + k] * far)
            chance += state[CARRIED + k] / whole * (kept if ends else state[EXTINCTION + k] * kept)
        if chance <= 0.0:
            return ABSORBED
        for k in range(3):
            kept = math.exp(-state[EXTINCTION + k] * far)
            state[CARRIED + k] *= (kept if ends else state[SCATTERING + k] * kept) / chance
        if ends:
            return triangle
        top = max(state[CARRIED], state[CARRIED + 1], state[CARRIED + 2])
        if top < 0.1 * begun:
            keep, _ = random_pair(pixel, sample, dimension + 3 * step + 2)
            if keep * begun >= top:
                return ABSORBED
            for k in range(3):
                state[CARRIED + k] *= begun / top
        for k in range(3):
            state[PLACE + k] += state[WAY + k] * (since + far)
        since = 0.0
        cosine = scattered_cosine(state[MEAN_COSINE], v)
        sine = math.sqrt(max(1.0 - cosine * cosine, 0.0))
        tx, ty, tz, bx, by, bz = basis(state[WAY], state[WAY + 1], state[WAY + 2])
        c, n = sine * math.cos(2.0 * math.pi * w), sine * math.sin(2.0 * math.pi * w)
        dx = cosine * state[WAY] + c * tx + n * bx
        dy = cosine * state[WAY + 1] + c * ty + n * by
        dz = cosine * state[WAY + 2] + c * tz + n * bz
        length = math.sqrt(dx * dx + dy * dy + dz * dz)
        state[WAY], state[WAY + 1], state[WAY + 2] = dx / length, dy / length, dz / length
        triangle = hit_nearest(
            intersect,
            scene,
            floats,
            words,
            state[PLACE],
            state[PLACE + 1],
            state[PLACE + 2],
            state[WAY],
            state[WAY + 1],
            state[WAY + 2],
            0.0,
            math.inf,
        )
        seen[2] += 1
        if triangle < 0:
            return OPEN
    return ABSORBED
