"""Costume pieces whose slots are drawn into one material each, against encoding the images that come of it."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np

from bench.report import Benchmark
from bench.size import sized

PIECES, SIDE = sized(60, 3), sized(512, 64)


def run() -> list[Benchmark]:
    from tests.making import cube, material, noise_image, quad, scene
    from trasloco import move
    from trasloco.scene.images import encode, pixels
    from trasloco.scene.model import Texture
    from trasloco.sheets.library import sheet_named
    from trasloco.sheets.text import changed

    plain = sheet_named("plain", "source")
    sheet = changed(sheet_named("taccuino", "destination"), {"structure.slots": "one a part"})
    cloth = noise_image("cloth", SIDE, SIDE, seed=1)
    rough = noise_image("rough", SIDE, SIDE, 1, seed=2)
    worn = [
        material(name, base_color=Texture(cloth.id, "rgb", "srgb"), roughness=Texture(rough.id, "r"))
        for name in ("Cloth", "Trim")
    ]
    names = tuple(f"Piece {k}" for k in range(PIECES))
    given = scene(*(quad() for _ in names), materials=tuple(worn), images=(cloth, rough), names=names)
    meshes = {
        id: replace(mesh, primitives=_slots(quad(), cube(0.4), worn[0].id, worn[1].id, k))
        for k, (id, mesh) in enumerate(given.meshes.items())
    }
    given = replace(given, meshes=meshes)
    plan = move.plan(given, plain, sheet)
    started = time.perf_counter()
    carried = move.carry(given, plan, sheet)
    drawn = time.perf_counter() - started
    texels = [(pixels(image), image.kind) for image in carried.images.values()]
    started = time.perf_counter()
    for held, kind in texels:
        encode(held, kind, True)
    encoding = time.perf_counter() - started
    return [
        Benchmark(
            f"{PIECES} parts of two slots drawn into one material each",
            drawn,
            "s",
            "encoding the images that come of it",
            encoding,
            8.0,
        )
    ]


def _slots(first, second, one, other, k):  # type: ignore[no-untyped-def]
    """Two slots beside each other, each piece of another size."""
    size = np.float32(1 + k / PIECES)
    apart = replace(second, positions=second.positions * size + np.float32([1.5, 0, 0]), material=other)
    return replace(first, positions=first.positions * size, material=one), apart
