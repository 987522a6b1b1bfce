"""Light that goes in and comes out elsewhere: a random walk through the inside, isotropic, between boundaries
of the same index; a quick stand-in for previews.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from trasloco.rays.compiled import device, kernel
from trasloco.rays.kernels import hit_nearest
from trasloco.render.closures.record import B as _B
from trasloco.render.closures.record import N as _N
from trasloco.render.closures.record import T as _T
from trasloco.render.sampling import random_pair

MOST_STEPS = 512


@device
def single_albedo(color: float) -> float:
    """Albedo of one scattering so that a deep medium looks ``color`` under diffuse light (van de Hulst's
    inversion, as in OpenPBR Surface 1.1, subsurface).
    """
    a = min(max(color, 0.0), 0.9999)
    s = 4.09712 + 4.20863 * a - math.sqrt(9.59217 + 41.6808 * a + 17.7126 * a * a)
    return max(1.0 - s * s, 0.0)


@kernel
def walk(
    intersect: int, scene: int, floats: Any, words: Any, state: Any, pixel: int, sample: int, dimension: int
) -> int:
    """Scatter until a boundary is met.

    ``state`` (13,): position, direction, colour that the medium shall have, mean free path in metres;
    afterwards position and direction of the last
    stretch, and what is left of the light, rgb, in 10:13. Returns rays traced; negative when the light was
    absorbed.
    """
    px, py, pz, dx, dy, dz = state[0], state[1], state[2], state[3], state[4], state[5]
    ar, ag, ab = single_albedo(state[6]), single_albedo(state[7]), single_albedo(state[8])
    free = state[9]
    r, g, b = 1.0, 1.0, 1.0
    for step in range(MOST_STEPS):
        u, v = random_pair(pixel, sample, dimension + 2 * step)
        far = -math.log(max(1.0 - u, 1e-12)) * free
        triangle = hit_nearest(
            intersect, scene, floats, words, px, py, pz, dx, dy, dz, 0.0, np.inf if step > 64 else far
        )
        if triangle >= 0 and floats[8] <= far:
            state[0], state[1], state[2], state[3], state[4], state[5] = px, py, pz, dx, dy, dz
            state[10], state[11], state[12] = r, g, b
            return step + 1
        if step > 64 and triangle < 0:
            # Outside of everything: the surface was open, and light is lost to its surroundings.
            state[0], state[1], state[2], state[3], state[4], state[5] = px, py, pz, dx, dy, dz
            state[10], state[11], state[12] = r, g, b
            return step + 1
        px, py, pz = px + dx * far, py + dy * far, pz + dz * far
        r, g, b = r * ar, g * ag, b * ab
        top = max(r, g, b)
        if top < 0.1:
            keep, _ = random_pair(pixel, sample, dimension + 2 * step + 1)
            if keep >= top:
                return -step - 1
            r, g, b = r / top, g / top, b / top
        w, _ = random_pair(pixel, sample, dimension + 40000 + step)
        dz = 1.0 - 2.0 * v
        s = math.sqrt(max(1.0 - dz * dz, 0.0))
        dx, dy = s * math.cos(2.0 * math.pi * w), s * math.sin(2.0 * math.pi * w)
    return -MOST_STEPS


@kernel
def diffuse_out(s: Any, state: Any, pixel: int, sample: int, dimension: int) -> None:
    """A quick stand-in for :func:`walk`, for previews: where light comes out by normalized diffusion, as a
    short ray that looks for the surface there.

    Burley 2015, "Extending the Disney BRDF to a BSDF with integrated subsurface scattering", and Christensen
    and Burley 2015: R(r) is a sum of two exponentials of widths
    d and 3d, d the mean free path over s(A) = 1.9 - A + 3.5 (A - 0.8)^2. ``state`` holds the place, the
    colour and the mean free path as for :func:`walk`; afterwards the
    probe's start and direction, and in 10:13 the colour. ``s`` is the record of the hit.
    """
    mean = (state[6] + state[7] + state[8]) / 3.0
    d = state[9] / (1.9 - mean + 3.5 * (mean - 0.8) * (mean - 0.8))
    u, v = random_pair(pixel, sample, dimension)
    w, _ = random_pair(pixel, sample, dimension + 1)
    # Farther than 16 d hardly any light comes out.
    r = min(-math.log(max(1.0 - u, 1e-9)) * (d if w < 0.25 else 3.0 * d), 16.0 * d)
    high = math.sqrt(max(256.0 * d * d - r * r, 0.0)) + d
    c, n = r * math.cos(2.0 * math.pi * v), r * math.sin(2.0 * math.pi * v)
    for k in range(3):
        state[k] = state[k] + c * s[_T + k] + n * s[_B + k] + high * s[_N + k]
        state[3 + k] = -s[_N + k]
        state[10 + k] = state[6 + k]
