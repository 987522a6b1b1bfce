"""What materials of even values send to the eye: their table of reflectance, over places and lights.

The renderer's own closures are integrated, at places of the sample as they are seen, by a fixed set of
directions picked after the closures themselves. Nothing is left to chance, so that a look changes smoothly
with its numbers and a search can follow its slope. What happens within a body is not in it: light under the
skin and within solid glass is stood in for (:mod:`trasloco.fit.nearest.flat`).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import cache
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy.stats import qmc

from trasloco.fit.nearest.stand import Stand
from trasloco.rays.by_address import ByAddress
from trasloco.rays.compiled import device, kernel
from trasloco.render.arrays import SceneArrays
from trasloco.render.closures import record
from trasloco.render.closures.ggx import MIN_ALPHA
from trasloco.render.closures.layered import sampled, scatter, weigh
from trasloco.render.columns import ALPHA_MODE, CUTOFF, OPACITY
from trasloco.render.flatten import flatten
from trasloco.render.material_rows import dressed
from trasloco.render.surface import surface_at
from trasloco.render.values import input1
from trasloco.scene.model import Material, Mesh, Node, Primitive, Scene

Doubles = npt.NDArray[np.float64]


@device
def _texel(pictures: Any, x: float, y: float, z: float) -> tuple[int, int, int, int, float, float]:
    """Rows and columns about a direction, and how far it lies towards the second of each."""
    height, width = pictures.shape[1], pictures.shape[2]
    row = math.acos(min(max(y, -1.0), 1.0)) / math.pi * height - 0.5
    column = (math.atan2(x, -z) / (2.0 * math.pi) + 0.5) * width - 0.5
    top, left = math.floor(row), math.floor(column)
    fr, fc = row - top, column - left
    upper, lower = min(max(int(top), 0), height - 1), min(max(int(top) + 1, 0), height - 1)
    return upper, lower, (int(left) + width) % width, (int(left) + 1 + width) % width, fr, fc


@device
def _light(pictures: Any, e: int, c: int, at: Any) -> float:
    upper, lower, left, right, fr, fc = at
    above = (1.0 - fc) * pictures[e, upper, left, c] + fc * pictures[e, upper, right, c]
    below = (1.0 - fc) * pictures[e, lower, left, c] + fc * pictures[e, lower, right, c]
    return float((1.0 - fr) * above + fr * below)


@device
def _after_light(density: Any, x: float, y: float, z: float) -> float:
    """Density with which the lights pick a direction."""
    height, width = density.shape[0], density.shape[1]
    row = int(math.acos(min(max(y, -1.0), 1.0)) / math.pi * height)
    column = int((math.atan2(x, -z) / (2.0 * math.pi) + 0.5) * width)
    return float(density[min(row, height - 1), min(max(column, 0), width - 1)])


@device
def _stand(s: Any, normals: Any, viewers: Any, n: int) -> None:
    """The frame of a place: the tangent is level, as on the sample."""
    nx, ny, nz = normals[n, 0], normals[n, 1], normals[n, 2]
    length = math.sqrt(nx * nx + nz * nz) + 1e-12
    tx, tz = nz / length, -nx / length
    s[record.T], s[record.T + 1], s[record.T + 2] = tx, 0.0, tz
    s[record.B], s[record.B + 1], s[record.B + 2] = ny * tz, nz * tx - nx * tz, -ny * tx
    for k in range(3):
        s[record.N + k] = s[record.G + k] = s[record.CN + k] = normals[n, k]
        s[record.VIEWER + k] = viewers[n, k]


@device
def _even_chances(s: Any) -> None:
    """Every closure that is there gets the same share of directions, so that no direction changes sides while
    numbers change.
    """
    there = 0.0
    for k in range(record.P_SHEEN, record.P_THROUGH + 1):
        s[k] = 1.0 if s[k] > 0.0 else 0.0
        there += s[k]
    for k in range(record.P_SHEEN, record.P_THROUGH + 1):
        s[k] /= there


@device
def _add(
    s: Any, x: float, y: float, z: float, surface: int, picked: int, density: Any, pictures: Any, to: Any
) -> None:
    """Light from one direction, by what both ways of picking would have made of it (Veach and Guibas 1995,
    balance heuristic).
    """
    vr, vg, vb, chance = scatter(s, x, y, z)
    chance = surface * chance + picked * _after_light(density, x, y, z)
    if chance <= 1e-12:
        return
    vr, vg, vb = vr / chance, vg / chance, vb / chance
    at = _texel(pictures, x, y, z)
    for e in range(pictures.shape[0]):
        to[e, 0] += vr * _light(pictures, e, 0, at)
        to[e, 1] += vg * _light(pictures, e, 1, at)
        to[e, 2] += vb * _light(pictures, e, 2, at)


@kernel
def _respond(
    a: Any,
    normals: Any,
    viewers: Any,
    directions: Any,
    towards: Any,
    density: Any,
    pictures: Any,
    s: Any,
    out: Any,
) -> None:
    """``out`` (K, N, E, 3): radiance of K materials at N places under E lights, nit."""
    count, picked = directions.shape[0], towards.shape[0]
    zero = np.float32(0.0)  # as rays say where they hit: what is compiled for them is used
    for m in range(out.shape[0]):
        mode = a.materials[m, ALPHA_MODE]
        cover = 1.0
        if mode != 0.0:
            cover = min(max(input1(a, m, OPACITY, 0.0, 0.0, 0.0, 0.0), 0.0), 1.0)
        if mode == 1.0:
            cover = 1.0 if cover >= a.materials[m, CUTOFF] else 0.0
        for n in range(normals.shape[0]):
            _stand(s, normals, viewers, n)
            surface_at(a, 0, m, zero, zero, 0.0, 0.0, 0.0, 0.0, False, MIN_ALPHA, s)
            weigh(s, a.metal, a.reflected, a.through, a.cloth, a.brushed)
            _even_chances(s)
            for e in range(pictures.shape[0]):
                for c in range(3):
                    out[m, n, e, c] = 0.0
            for d in range(count):
                x, y, z, _ = sampled(s, directions[d, 0], directions[d, 1], directions[d, 2])
                if x == 0.0 and y == 0.0 and z == 0.0:
                    continue
                _add(s, x, y, z, count, picked, density, pictures, out[m, n])
            for d in range(picked):
                _add(
                    s,
                    towards[d, 0],
                    towards[d, 1],
                    towards[d, 2],
                    count,
                    picked,
                    density,
                    pictures,
                    out[m, n],
                )
            # What lies straight behind: through a thin sheet, and where nothing covers.
            at = _texel(pictures, -viewers[n, 0], -viewers[n, 1], -viewers[n, 2])
            for e in range(pictures.shape[0]):
                for c in range(3):
                    behind = _light(pictures, e, c, at)
                    on = s[record.THIN] * s[record.OUTER + c] * s[record.UNDER + c] * s[record.COLOR + c]
                    out[m, n, e, c] = cover * (out[m, n, e, c] + on * behind) + (1.0 - cover) * behind


@cache
def _arrays() -> SceneArrays:
    """The arrays of a scene with nothing in it but one face: what kernels read beside materials."""
    corner = np.eye(3, dtype=np.float32)
    flat = Primitive(
        corner, np.array([[0, 1, 2]], np.uint32), corner, None, (corner[:, :2],), material="even"
    )
    nodes = {"part:a": Node("part:a", "a", None, np.eye(4), mesh="mesh:a")}
    scene = Scene("even", nodes, {"mesh:a": Mesh("mesh:a", "a", (flat,))}, {"even": Material("even", "even")})
    return flatten(scene).arrays


@cache
def _directions(count: int) -> Doubles:
    """A fixed even set (count, 3) in the unit cube, after Sobol; ``count`` is a power of two."""
    return np.asarray(qmc.Sobol(3, scramble=True, seed=5).random(count), np.float64)


def response(materials: Sequence[Material], on: Stand) -> Doubles:
    """Radiance (K, N, E, 3) in nit of K materials of even values at the places and under the lights of a
    stand; as many directions are picked after the closures as after the lights.
    """
    lit = on.lights
    out = np.empty((len(materials), len(on.normals), len(lit.pictures), 3), np.float64)
    chosen = _directions(len(lit.towards))
    _respond(
        ByAddress(dressed(_arrays(), materials)),
        on.normals,
        on.viewers,
        chosen,
        lit.towards,
        lit.density,
        lit.pictures,
        np.zeros(128),
        out,
    )
    return out
