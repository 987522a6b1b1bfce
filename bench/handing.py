"""Handing over: many small deliveries at once, and a whole move beside its steps and images alone."""

from __future__ import annotations

import os
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.report import Benchmark
from bench.size import sized

ASSETS = sized(50, 3)
_ONE_THREAD = dict.fromkeys(("OMP_NUM_THREADS", "NUMBA_NUM_THREADS", "OPENBLAS_NUM_THREADS"), "1")


def _folder(where: Path) -> Path:
    """So many small deliveries, each a GLB with two images of 512 texels."""
    from tests.making import cube, image, material, scene
    from trasloco.formats.gltf_write import write_glb
    from trasloco.scene.model import Texture

    rng = np.random.default_rng(4)
    side = sized(512, 16)
    for number in range(ASSETS):
        color, rough = (
            image(f"{name}{number}", rng.integers(0, 255, (side, side, 3), np.uint8))
            for name in ("color", "rough")
        )
        wax = material("wax", base_color=Texture(color.id, "rgb", "srgb"), roughness=Texture(rough.id, "r"))
        given = scene(cube(1.0, wax.id), materials=(wax,), images=(color, rough))
        (where / f"piece-{number}.glb").write_bytes(write_glb(replace(given, name=f"piece {number}")))
    return where


def _batch() -> Benchmark:
    """Two processes against one, which has one core for whatever it calculates."""
    from trasloco.batch import all_done, tasks_of

    with tempfile.TemporaryDirectory() as folder:
        given = Path(folder) / "given"
        given.mkdir()
        _folder(given)
        taken = {}
        cores = os.sched_getaffinity(0)
        for workers, threads in ((2, {}), (1, _ONE_THREAD)):
            os.sched_setaffinity(0, cores if workers > 1 else {min(cores)})
            tasks = tasks_of(given, "plain", ["lanterna"], Path(folder) / f"out{workers}", [], False)
            before = {name: os.environ.get(name) for name in threads}
            os.environ.update(threads)
            started = time.perf_counter()
            outcomes = all_done(tasks, workers)
            taken[workers] = time.perf_counter() - started
            for name, value in before.items():
                os.environ.pop(name) if value is None else os.environ.update({name: value})
            os.sched_setaffinity(0, cores)
            assert all(one.state == "done" for one in outcomes), [one.words for one in outcomes]
    name = f"a batch of {ASSETS} small assets, two processes"
    return Benchmark(name, taken[2], "s", "the same moves one after another on one core", taken[1], 0.6)


def _writing() -> list[Benchmark]:
    """Planning, images and package for each destination, beside the same without the package."""
    from bench.size import teatrino
    from trasloco import move
    from trasloco.sheets.library import built_in_sheets

    sheets = built_in_sheets()
    reference = move.mend(teatrino(), sheets["plain"])
    found = []
    for name in ("taccuino", "lanterna", "fornace", "plancia", "tela", "scatola", "sipario"):
        sheet = sheets[name]
        started = time.perf_counter()
        carried = move.carry(reference, move.plan(reference, sheets["plain"], sheet), sheet)
        made = time.perf_counter() - started
        started = time.perf_counter()
        move.package(carried, sheet)
        packed = time.perf_counter() - started
        found.append(
            Benchmark(
                f"a move written for {sheet.name}, images and package",
                made + packed,
                "s",
                "its steps and images alone",
                made,
                1.1,
            )
        )
    return found


def run() -> list[Benchmark]:
    return [_batch(), *_writing()]
