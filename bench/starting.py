"""How long the command line takes before it answers, beside what it is made of."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import trimesh

from bench.report import Benchmark
from bench.size import sized

RUNS = sized(7, 2)
BARE_HELP = "import typer; typer.Typer(rich_markup_mode=None, add_completion=False).command()(lambda: None)"
LIBRARIES = "import numpy, numba, pydantic, scipy.spatial, PIL.Image"
"""What reading and surveying a mesh is built on; nothing of the job's own."""


def _seconds(*command: str) -> float:
    """The least of several runs, which a busy machine stretches least."""
    took = []
    for _ in range(RUNS):
        started = time.perf_counter()
        subprocess.run(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env={**os.environ})
        took.append(time.perf_counter() - started)
    return float(np.min(took))


def run() -> list[Benchmark]:
    """Help, and the survey of a box."""
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
    ]
