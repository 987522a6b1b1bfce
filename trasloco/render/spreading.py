"""Tiles of a picture, and of light on texels, as pieces of work for :mod:`trasloco.hands`."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.rays.embree import ray_buffer
from trasloco.render.arrays import FlatScene
from trasloco.render.starts import NO_TEXELS, Texels
from trasloco.render.tracer import GUIDES, SCRATCH, trace_tile

Doubles = npt.NDArray[np.float64]


@dataclass(frozen=True)
class TileTask:
    """Samples [first, last) of the tile x0, x1, y0, y1 of a picture."""

    camera: Doubles
    width: int
    height: int
    tile: tuple[int, int, int, int]
    first: int
    last: int
    bounces: int

    @property
    def samples(self) -> int:
        """Of all its pixels."""
        x0, x1, y0, y1 = self.tile
        return (x1 - x0) * (y1 - y0) * (self.last - self.first)


@dataclass(frozen=True)
class TileResult:
    """Sums over the samples: even, odd (layers, rows, columns, 3), guides (rows, columns, 6); ids (rows,
    columns, 2) when sample 0 was among them; seconds it took.
    """

    task: TileTask
    even: Doubles
    odd: Doubles
    guides: Doubles
    ids: npt.NDArray[np.int32] | None
    rays: int
    seconds: float = 0.0


_OWN = threading.local()


def trace(flat: FlatScene, task: TileTask, texels: Texels = NO_TEXELS) -> TileResult:
    """One tile, of a picture where there are no texels."""
    if not hasattr(_OWN, "buffer"):
        _OWN.buffer, _OWN.scratch = ray_buffer(), np.zeros(SCRATCH)
    x0, x1, y0, y1 = task.tile
    shape, layers = (y1 - y0, x1 - x0), len(flat.layers)
    even, odd = np.zeros((layers, *shape, 3)), np.zeros((layers, *shape, 3))
    guides, ids = np.zeros((*shape, GUIDES)), np.full((*shape, 2), -1, np.int32)
    buffer, started = _OWN.buffer, time.perf_counter()
    rays = trace_tile(
        flat.held,
        (flat.rays.intersect, flat.rays.handle),
        buffer,
        buffer.view(np.uint32),
        _OWN.scratch,
        np.zeros((layers, 3)),
        task.camera,
        texels,
        task.width,
        task.height,
        *task.tile,
        task.first,
        task.last,
        task.bounces,
        even,
        odd,
        guides,
        ids,
        np.zeros(3, np.int64),
    )
    return TileResult(
        task, even, odd, guides, ids if task.first == 0 else None, int(rays), time.perf_counter() - started
    )


@dataclass(frozen=True)
class OnTexels:
    """A scene, and the surface under the texels of several images that its light is gathered on."""

    flat: FlatScene
    images: tuple[Texels, ...]


def trace_texels(scene: OnTexels, piece: tuple[int, TileTask]) -> TileResult:
    """One tile of the image of that number."""
    image, task = piece
    return trace(scene.flat, task, scene.images[image])
