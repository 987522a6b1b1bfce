"""Converting a whole scene: against encoding the same output images, planning again what did not change, and
memory on many large images.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np

from bench.report import Benchmark, median_seconds, peak_mb
from bench.size import SMALL, sized, teatrino
from demo.build import write
from trasloco import move
from trasloco.keeping import keeping
from trasloco.results.store import MemoryStore
from trasloco.scene.images import encode, identify, pixels
from trasloco.scene.model import Input, Material, Scene, Texture
from trasloco.sheets.library import sheet_named

MANY, SIDE, ALLOWED_MIB = sized(40, 4), sized(4096, 256), 2048.0


def _teatrino() -> Scene:
    with tempfile.TemporaryDirectory() as folder:
        clean, sky, *_ = write(Path(folder))
        return move.receive({path.name: path.read_bytes() for path in (clean, sky)}).scene


def _converting() -> list[Benchmark]:
    plain, lanterna = sheet_named("plain"), sheet_named("lanterna")
    reference = move.mend(teatrino() if SMALL else _teatrino(), plain)
    plan = move.plan(reference, plain, lanterna)
    carried = move.carry(reference, plan, lanterna)
    made = [(pixels(image, keep=False), image.kind) for image in carried.images.values()]

    def convert() -> None:
        move.carry(reference, plan, lanterna)

    def only_encode() -> None:
        with ThreadPoolExecutor(2) as pool:
            list(pool.map(lambda one: encode(one[0], one[1]), made))

    with keeping(MemoryStore()):
        move.plan(reference, plain, lanterna)
        again = median_seconds(lambda: move.plan(reference, plain, lanterna))
    return [
        Benchmark(
            "converting: Teatrino to Lanterna",
            median_seconds(convert),
            "s",
            f"encoding its {len(made)} images only",
            median_seconds(only_encode),
            1.25,
        ),
        Benchmark("converting: an unchanged plan again", again, "s", "one second", 1.0, 1.0),
    ]


def _many() -> None:
    """Carry forty large images in this process and print its peak memory in MiB."""
    rng = np.random.default_rng(1)
    images, materials = {}, {}
    for k in range(MANY // 4):
        names = {}
        for name in ("color", "surface", "relief", "glow"):
            texels = np.broadcast_to(
                rng.integers(90, 160, (SIDE // 64, SIDE // 64, 3), np.uint8)[:, None, :, None],
                (SIDE // 64, 64, SIDE // 64, 64, 3),
            ).reshape(SIDE, SIDE, 3)
            id = f"image:{name}-{k}"
            names[name] = id
            images[id] = identify(
                id, f"{name}-{k}.png", f"{name}-{k}.png", encode(np.ascontiguousarray(texels), "png")
            )
        inputs = {
            "base_color": Input((1.0, 1.0, 1.0), Texture(names["color"], "rgb", "srgb")),
            "roughness": Input((0.9,), Texture(names["surface"], "g")),
            "metalness": Input((1.0,), Texture(names["surface"], "b")),
            "occlusion": Input((1.0,), Texture(names["surface"], "r")),
            "normal": Input((0.0, 0.0, 1.0), Texture(names["relief"])),
            "emission": Input((1.0, 1.0, 1.0), Texture(names["glow"], "rgb", "srgb")),
        }
        materials[f"material:{k}"] = Material(f"material:{k}", f"m{k}", inputs)
    scene = Scene("many", {}, {}, materials, images)
    plain, lanterna = sheet_named("plain"), sheet_named("lanterna")
    move.carry(scene, move.plan(scene, plain, lanterna), lanterna)
    print(peak_mb())


def _memory() -> Benchmark:
    said = subprocess.run(
        [sys.executable, "-m", "bench.converting"], capture_output=True, text=True, check=True
    )
    return Benchmark(
        f"converting: memory of {MANY} images of {SIDE} a side",
        float(said.stdout.split()[-1]),
        "MiB",
        "allowed",
        ALLOWED_MIB,
        1.0,
    )


def run() -> list[Benchmark]:
    found: list[Any] = [*_converting(), _memory()]
    return found


if __name__ == "__main__":
    _many()
