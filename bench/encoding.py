"""Writing PNG: how long it takes and how large it becomes, against OpenImageIO at zlib's level 4; and reading
a large OBJ, against splitting its lines into words.
"""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio

from bench.report import Benchmark, median_seconds
from bench.size import sized
from trasloco.formats.obj_lines import lines_of
from trasloco.scene.images import encode

SIDE = sized(2048, 64)


def images() -> dict[str, Any]:
    """A noisy colour image, a smooth one, a weave, and 16-bit ramps."""
    rng = np.random.default_rng(0)
    y, x = np.mgrid[:SIDE, :SIDE] / SIDE
    ramps = np.stack([x, y, x * y], axis=2)
    weave = 0.5 + 0.4 * np.sin(x * 400)[..., None] * np.sin(y * 400)[..., None] * (0.5 + ramps / 2)
    grain = rng.normal(0, 0.02, (SIDE, SIDE, 3))
    return {
        "noisy, 8 bits": np.uint8(np.clip(ramps + 3 * grain, 0, 1) * 255),
        "smooth, 8 bits": np.uint8(ramps * 255),
        "woven, 8 bits": np.uint8(np.clip(weave + grain / 4, 0, 1) * 255),
        "ramps, 16 bits": np.uint16(ramps * 65535),
        "grainy, 16 bits": np.uint16(np.clip(ramps + grain, 0, 1) * 65535),
    }


def by_library(texels: Any) -> bytes:
    """The same file by OpenImageIO."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "image.png"
        kind = oiio.UINT8 if texels.dtype == np.uint8 else oiio.UINT16
        spec = oiio.ImageSpec(texels.shape[1], texels.shape[0], texels.shape[2], kind)
        spec.attribute("png:compressionLevel", 4)
        writer = oiio.ImageOutput.create(str(path))
        writer.open(str(path), spec)
        writer.write_image(texels)
        writer.close()
        return path.read_bytes()


def sheet() -> bytes:
    """A wavy grid as OBJ."""
    side = sized(400, 12)
    y, x = np.mgrid[:side, :side] / side
    points = [
        f"v {a:.6f} {b:.6f} {np.sin(9 * a) * 0.1:.6f}\nvt {a:.6f} {b:.6f}" for a, b in zip(x.flat, y.flat)
    ]
    at = np.arange(side * side).reshape(side, side) + 1
    corners = np.stack([at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]], -1).reshape(-1, 4)
    faces = ["f " + " ".join(f"{k}/{k}" for k in face) for face in corners]
    return "\n".join(["o Sheet", *points, *faces, ""]).encode()


def run() -> list[Benchmark]:
    rows = []
    for name, texels in images().items():
        encode(texels, "png")
        rows.append(
            Benchmark(
                f"PNG, {name}",
                median_seconds(lambda texels=texels: encode(texels, "png")),
                "s",
                "OpenImageIO, zlib's level 4",
                median_seconds(lambda texels=texels: by_library(texels)),
                0.4,
            )
        )
        sizes = len(encode(texels, "png")) / 1e6, len(by_library(texels)) / 1e6
        rows.append(Benchmark(f"PNG, {name}: size", sizes[0], "MB", "OpenImageIO", sizes[1], 1.05))
    text = sheet()
    lines_of(text)
    rows.append(
        Benchmark(
            "OBJ, its points and faces as tables",
            median_seconds(lambda: lines_of(text)),
            "s",
            "its lines split into words",
            median_seconds(lambda: [line.split() for line in text.decode().split("\n")]),
            1.0,
        )
    )
    return rows
