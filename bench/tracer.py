"""Rays a second of the whole path tracer, against raw Embree batches over the same number of processes, on
the Teatrino.
"""

from __future__ import annotations

import os
import pickle
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from bench.report import Benchmark
from bench.size import sized, teatrino


def raw(path: Path) -> float:
    """Rays a second of one process asking Embree's own Python interface for batches of scattered rays from
    surfaces.
    """
    from embreex import rtcore_scene
    from embreex.mesh_construction import TriangleMesh

    positions, triangles, seed = pickle.loads(path.read_bytes())
    scene = rtcore_scene.EmbreeScene()
    TriangleMesh(scene, positions[triangles].astype(np.float32))
    rng = np.random.default_rng(seed + os.getpid())
    count = sized(400_000, 4_000)
    chosen = positions[triangles[rng.integers(0, len(triangles), count)]]
    normals = np.cross(chosen[:, 1] - chosen[:, 0], chosen[:, 2] - chosen[:, 0])
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-20)
    directions = rng.normal(size=(count, 3)) + normals
    directions = (directions / np.linalg.norm(directions, axis=1, keepdims=True)).astype(np.float32)
    origins = (chosen.mean(axis=1) + 1e-4 * normals).astype(np.float32)
    scene.run(origins[:1000], directions[:1000])
    started = time.perf_counter()
    for _ in range(4):
        scene.run(origins, directions)
    return 4 * count / (time.perf_counter() - started)


def raw_together(path: Path, workers: int) -> float:
    """Rays a second of several such processes at once."""
    processes = [
        subprocess.Popen([sys.executable, "-m", "bench.tracer", str(path)], stdout=subprocess.PIPE, text=True)
        for _ in range(workers)
    ]
    return sum(float(p.communicate()[0]) for p in processes)


def _many_lamps() -> Benchmark:
    """At equal samples, on a glossy floor."""
    from tests.core.test_many_lamps import noise

    many, few = noise(sized(1000, 100), roughness=0.5), noise(10, roughness=0.5)
    return Benchmark(
        "noise of a thousand lamps at equal samples", 100 * many, "%", "ten lamps", 100 * few, 2.0
    )


def run() -> list[Benchmark]:
    from trasloco.render.flatten import flatten
    from trasloco.render.picture import Quality, render, views_of

    scene = teatrino()
    flat = flatten(scene)
    workers = Quality().workers
    view = views_of(scene)[0]
    render(flat, view, Quality(64, 36, 2))
    with tempfile.NamedTemporaryFile(suffix=".pickle") as file:
        file.write(pickle.dumps((flat.arrays.positions, flat.arrays.triangles, 1)))
        file.flush()
        rates, yards, whole = [], [], []
        for _ in range(sized(3, 1)):
            started = time.perf_counter()
            picture = render(flat, view, Quality(sized(640, 64), sized(360, 36), sized(8, 2)))
            seconds = time.perf_counter() - started
            rates.append(picture.rays / seconds)
            whole.append(seconds * 4)
            yards.append(raw_together(Path(file.name), workers))
    return [
        _many_lamps(),
        Benchmark(
            "path tracer",
            sorted(rates)[len(rates) // 2] / 1e6,
            "Mrays/s",
            f"raw Embree batches, {workers} processes",
            sorted(yards)[len(yards) // 2] / 1e6,
            0.5,
            more_is_better=True,
        ),
        Benchmark(
            "640 x 360 at 32 samples, one side",
            sorted(whole)[len(whole) // 2],
            "s (8 samples x 4)",
            "a minute",
            60.0,
            1.0,
        ),
    ]


if __name__ == "__main__":
    print(raw(Path(sys.argv[1])))
