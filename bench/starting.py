"""How long the command line, and programs that run apart, take before they answer, beside what they are made
of.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import trimesh

import trasloco
from bench.report import Benchmark
from bench.size import SMALL, sized

RUNS = sized(7, 2)
_ONE_KERNEL = (
    "import numpy as np; from trasloco.scene.png import png_file; png_file(np.zeros((4, 4, 3), np.uint8))"
)
BARE_HELP = "import typer; typer.Typer(rich_markup_mode=None, add_completion=False).command()(lambda: None)"
LIBRARIES = "import numpy, pydantic.dataclasses, typer.main, rich.console, OpenImageIO"
"""What reading and surveying a small mesh is built on; nothing of the job's own."""


def _seconds(*command: str) -> float:
    """The least of several runs, which a busy machine stretches least. As where programs are installed, Python
    keeps what it makes of sources; the first run makes it.
    """
    kept = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    took = []
    for _ in range(RUNS + 1):
        started = time.perf_counter()
        subprocess.run(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env=kept)
        took.append(time.perf_counter() - started)
    return float(np.min(took[1:]))


def _apart() -> float:
    """Seconds until a layer was opened apart, where one stands ready; the least of several."""
    from trasloco.formats.bundle import bundle_files
    from trasloco.formats.usd_read import read_usd

    bundle = bundle_files({"box.usda": b'#usda 1.0\ndef Xform "Box" {}\n'})
    took = []
    for _ in range(RUNS + 1):  # the first one is what the others find ready
        started = time.perf_counter()
        read_usd("box.usda", bundle)
        took.append(time.perf_counter() - started)
    return float(np.min(took[1:]))


def _compiled() -> float:
    """Seconds in which every kernel is compiled from nothing; one of them where the benches are small."""
    with TemporaryDirectory() as folder:
        fresh = Path(folder) / "trasloco"
        shutil.copytree(Path(trasloco.__file__).parent, fresh, ignore=shutil.ignore_patterns("__pycache__"))
        started = time.perf_counter()
        work = ["-c", _ONE_KERNEL] if SMALL else ["-m", "trasloco.warm"]
        subprocess.run([sys.executable, *work], cwd=folder, check=True, capture_output=True)
        return time.perf_counter() - started


def run() -> list[Benchmark]:
    """Help, the survey of a box, a layer opened apart, and kernels."""
    command = str(Path(sys.executable).parent / "trasloco")
    with TemporaryDirectory() as folder:
        box = Path(folder) / "box.glb"
        trimesh.creation.box().export(box)
        survey = _seconds(command, "survey", str(box))
    return [
        Benchmark(
            "help of the command line",
            _seconds(command, "--help"),
            "s",
            "the library of its options imported bare",
            _seconds(sys.executable, "-c", BARE_HELP),
            2,
        ),
        Benchmark(
            "survey of a box from the command line",
            survey,
            "s",
            "the libraries it is built on imported bare",
            _seconds(sys.executable, "-c", LIBRARIES),
            1.5,
        ),
        Benchmark("the same", survey, "s", "eight tenths of a second", 0.8, 1.0),
        Benchmark(
            "an empty layer of USD read, opened apart first",
            _apart(),
            "s",
            "an interpreter with the library of layers started",
            _seconds(sys.executable, "-c", "import numpy; from pxr import Ar, Sdf, Usd, UsdGeom"),
            0.2,
        ),
        Benchmark("kernels compiled from nothing", _compiled(), "s", "a minute", 60.0, 1.0),
    ]
