"""Many small deliveries at once, against the same moves one after the other with one thread each."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench.report import Benchmark
from bench.size import sized

PIECES, SIDE = sized(50, 3), sized(1024, 64)
ALONE = """
import json, os, sys, time
os.sched_setaffinity(0, {min(os.sched_getaffinity(0))})
from pathlib import Path
from trasloco.batch import done, tasks_of
from trasloco.processors import share_by
share_by(os.cpu_count() or 1)
tasks = tasks_of(Path(sys.argv[1]), "plain", ["lanterna"], Path(sys.argv[2]), [], False)
started = time.perf_counter()
states = [done(task).state for task in tasks]
print(json.dumps([time.perf_counter() - started, states]))
"""
BEGUN = """
import json, sys, time
from pathlib import Path
from trasloco.batch import _done, tasks_of
from trasloco.hands.model import NOTHING
from trasloco.hands.processes import Processes
first, tasks = (
    tasks_of(Path(sys.argv[1]), "plain", ["lanterna"], Path(sys.argv[2]) / one, [], False) for one in ("first", "all")
)
with Processes(2, ("trasloco.batch",)) as here:
    list(here.each(_done, NOTHING, first[:2]))
    started = time.perf_counter()
    states = [made.state for _, made in here.each(_done, NOTHING, tasks)]
    print(json.dumps([time.perf_counter() - started, states]))
"""
"""As lanes of the desk do them, which have begun long before."""


def pieces(folder: Path) -> None:
    """Costume pieces, each with a colour and a roughness of its own."""
    from tests.making import cube, material, noise_image, quad, scene
    from trasloco.formats.gltf_write import write_glb
    from trasloco.scene.model import Texture

    for k in range(PIECES):
        color = noise_image(f"cloth-{k}", SIDE, SIDE, seed=k)
        rough = noise_image(f"rough-{k}", SIDE, SIDE, 1, seed=PIECES + k)
        cloth = material(
            f"Cloth {k}",
            base_color=Texture(color.id, "rgb", "srgb"),
            roughness=Texture(rough.id, "r"),
        )
        parts = quad(1.0, cloth.id), cube(0.5, cloth.id)
        made = scene(*parts, materials=(cloth,), images=(color, rough))
        (folder / f"piece-{k:02}.glb").write_bytes(write_glb(made))


def run() -> list[Benchmark]:
    with tempfile.TemporaryDirectory() as held:
        folder = Path(held) / "pieces"
        folder.mkdir()
        pieces(folder)
        command = [
            sys.executable,
            "-m",
            "console.command",
            "batch",
            str(folder),
            "--from",
            "plain",
            "--to",
            "lanterna",
        ]
        started = time.perf_counter()
        subprocess.run(
            [*command, "--out", str(Path(held) / "at once"), "--workers", "2"],
            check=True,
            capture_output=True,
        )
        at_once = time.perf_counter() - started
        begun = timed(BEGUN, folder, Path(held) / "begun")
        alone = timed(ALONE, folder, Path(held) / "alone")
    return [
        Benchmark(
            f"{PIECES} small deliveries by two workers that have begun",
            begun,
            "s",
            "the same moves one after the other, one thread each",
            alone,
            0.6,
        ),
        Benchmark(
            f"{PIECES} small deliveries by two workers, from the command",
            at_once,
            "s",
            "the same moves one after the other, one thread each",
            alone,
            0.6,
        ),
    ]


def timed(program: str, folder: Path, out: Path) -> float:
    """Seconds that a program tells, whose moves were all done."""
    told = subprocess.run(
        [sys.executable, "-c", program, str(folder), str(out)],
        check=True,
        capture_output=True,
        text=True,
        env={**os.environ, "OMP_NUM_THREADS": "1"},
    )
    seconds, states = json.loads(told.stdout)
    assert states == ["done"] * PIECES, states
    return float(seconds)
