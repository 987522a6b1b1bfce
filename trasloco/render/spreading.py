"""Tiles of a picture spread over workers through one interface, ``concurrent.futures.Executor``.

Threads share the scene; the kernels let the interpreter go. Workers with memory of their own (processes, or
machines behind the same
interface that see the same files) are handed the place of a scene file, and keep the scene they loaded last.
"""

from __future__ import annotations

import pickle
import tempfile
import threading
import time
from collections.abc import Iterable, Iterator
from concurrent.futures import Executor, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

from trasloco.rays.embree import RayScene, ray_buffer
from trasloco.render.arrays import FlatScene, SceneArrays
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
    texels: Texels = NO_TEXELS


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


def trace(flat: FlatScene, task: TileTask) -> TileResult:
    """One tile."""
    if not hasattr(_OWN, "buffer"):
        _OWN.buffer, _OWN.scratch = ray_buffer(), np.zeros(SCRATCH)
    x0, x1, y0, y1 = task.tile
    shape, layers = (y1 - y0, x1 - x0), len(flat.layers)
    even, odd = np.zeros((layers, *shape, 3)), np.zeros((layers, *shape, 3))
    guides, ids = np.zeros((*shape, GUIDES)), np.full((*shape, 2), -1, np.int32)
    buffer, started = _OWN.buffer, time.perf_counter()
    rays = trace_tile(
        flat.arrays,
        (flat.rays.intersect, flat.rays.handle),
        buffer,
        buffer.view(np.uint32),
        _OWN.scratch,
        np.zeros((layers, 3)),
        task.camera,
        task.texels,
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


_LOADED: dict[str, FlatScene] = {}


def _trace_stored(place: str, task: TileTask) -> TileResult:
    """One tile of a scene in a file, in a worker with memory of its own."""
    if place not in _LOADED:
        arrays, materials, parts, layers = pickle.loads(Path(place).read_bytes())
        held = SceneArrays(*arrays)
        _LOADED.clear()
        _LOADED[place] = FlatScene(
            held, RayScene(held.positions, held.triangles.astype(np.uint32)), materials, parts, layers
        )
    return trace(_LOADED[place], task)


class Spread:
    """Where tiles of one scene are traced."""

    def __init__(self, flat: FlatScene, executor: Executor, place: str = "") -> None:
        self.flat, self.executor, self.place = flat, executor, place

    def run(self, tasks: Iterable[TileTask]) -> Iterator[TileResult]:
        """Results in the order of the tasks."""
        if self.place:
            return (
                self.executor.map(_trace_stored, [self.place] * len(found), found)
                if (found := list(tasks))
                else iter(())
            )
        return self.executor.map(lambda task: trace(self.flat, task), tasks)


@contextmanager
def spread(flat: FlatScene, workers: int, executor: Executor | None = None) -> Iterator[Spread]:
    """Threads of our own, or an executor whose workers read the scene from a file."""
    if executor is None:
        with ThreadPoolExecutor(workers) as own:
            yield Spread(flat, own)
        return
    if isinstance(executor, ThreadPoolExecutor):
        yield Spread(flat, executor)
        return
    with tempfile.NamedTemporaryFile(prefix="trasloco-scene-", suffix=".pickle") as file:
        file.write(
            pickle.dumps((tuple(flat.arrays), flat.material_ids, flat.part_ids, flat.layers), protocol=5)
        )
        file.flush()
        yield Spread(flat, executor, file.name)
