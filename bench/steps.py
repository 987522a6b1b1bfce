"""Each step on a 4096 x 4096 image, against copying what goes in and what comes out, two at a time on two
threads.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np

from bench.report import Benchmark, median_seconds
from bench.size import sized
from trasloco.fit.formulas import codes as steps

SIDE = sized(4096, 256)


def run() -> list[Benchmark]:
    rng = np.random.default_rng(0)
    coarse = rng.integers(0, 255, (SIDE // 16, SIDE // 16, 3), np.uint8).repeat(16, 0).repeat(16, 1)
    color = coarse ^ rng.integers(0, 16, coarse.shape, np.uint8)
    grey = np.ascontiguousarray(color[..., 0])
    work: dict[str, Callable[[], Any]] = {
        "extract": lambda: np.ascontiguousarray(steps.extract(color, "g")),
        "pack": lambda: steps.pack({"r": grey, "g": grey, "b": grey}, {}, 8),
        "invert": lambda: steps.invert(grey),
        "green turn": lambda: steps.turn_green(color),
        "height to normal": lambda: steps.to_depth(steps.relief(grey, 0.01), 8),
        "tint": lambda: steps.to_depth(steps.multiply(color, (0.9, 0.5, 0.2), "srgb", "srgb"), 8),
        "resize to 2048": lambda: steps.to_depth(steps.resize(color, 2048, 2048, "srgb"), 8),
        "8 to 16 bits": lambda: steps.to_depth(color, 16),
    }

    def twice(job: Callable[[], Any]) -> Callable[[], Any]:
        def both() -> None:
            with ThreadPoolExecutor(2) as pool:
                list(pool.map(lambda _: job(), range(2)))

        return both

    found = []
    for name, job in work.items():
        result = job()
        given = grey if name in ("invert", "height to normal") else color

        def copied(given: Any = given, result: Any = result) -> None:
            given.copy()
            result.copy()

        found.append(
            Benchmark(
                f"step: {name}",
                median_seconds(twice(job)),
                "s for two",
                "copying both arrays",
                median_seconds(twice(copied)),
                6.0,
            )
        )
    return found
