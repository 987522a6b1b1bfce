"""Light at single points instead of texels: an image with a point under every texel, so that the same paths
can be followed from anywhere.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import numpy.typing as npt

from trasloco.hands.model import Shared, in_order
from trasloco.hands.threads import Threads
from trasloco.light.lightmaps.baking import TILE, Gathered, Sums
from trasloco.light.lightmaps.texels import Covered
from trasloco.render.arrays import FlatScene
from trasloco.render.spreading import OnTexels, TileTask, trace_texels
from trasloco.render.starts import Texels

Doubles = npt.NDArray[np.float64]
_SCALE = 64.0
"""Texels that a triangle's side is drawn at: a texel then covers a 64th of it, so little that it is a point.
"""


def points_covered(triangles: npt.NDArray[np.int64], u: Doubles, v: Doubles) -> Covered:
    """Points (N,) on triangles of a flat scene at their barycentrics, as texels of an image 32 wide."""
    count, width = len(triangles), TILE
    height = max(-(-count // width), 1)
    x, y = np.arange(count) % width + 0.5 - u * _SCALE, np.arange(count) // width + 0.5 - v * _SCALE
    corners = np.stack(
        [np.stack([x, y], axis=1), np.stack([x + _SCALE, y], axis=1), np.stack([x, y + _SCALE], axis=1)],
        axis=1,
    )
    spans = np.minimum(np.arange(width * height + 1), count)
    owner = np.full(width * height, -1, np.int64)
    owner[:count] = np.arange(count)
    shape = (height, width)
    there = (owner >= 0).astype(np.int32).reshape(shape) - 1
    return Covered(
        Texels(spans, np.arange(count), triangles.astype(np.int64), np.ascontiguousarray(corners)),
        there,
        there,
        owner.reshape(shape),
    )


def light_at_points(
    flat: FlatScene, triangles: npt.NDArray[np.int64], u: Doubles, v: Doubles, samples: int, bounces: int
) -> Gathered:
    """Light at points of a flat scene that keeps straight light apart; read it by :func:`in_a_row`."""
    covered = points_covered(triangles, u, v)
    height, width = covered.part.shape
    sums = Sums(covered, width, height, None)
    settings = np.zeros(18)
    settings[17] = 1.0
    scene = Shared(OnTexels(flat, (covered.texels,)))
    tasks = [(0, TileTask(settings, width, height, tile, 0, samples, bounces + 1)) for tile in sums.tiles]
    for found in in_order(Threads(), trace_texels, scene, tasks):
        sums.add(found)
    sums.samples = samples
    return sums.gathered()


def in_a_row(found: Gathered, count: int) -> Gathered:
    """What was found at ``count`` points, each array's image unrolled (count, ...)."""

    def row(values: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
        return values.reshape(-1, *values.shape[2:])[:count]

    return replace(
        found,
        even=row(found.even),
        odd=row(found.odd),
        straight=row(found.straight),
        toward=row(found.toward),
        counted=row(found.counted),
    )
