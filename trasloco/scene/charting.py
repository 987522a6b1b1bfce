"""The program behind :mod:`trasloco.scene.charts`."""

from __future__ import annotations

import os
from typing import Any

import numpy as np
import xatlas

from trasloco.apart import Arrays, serve


def charted(given: Arrays) -> Arrays:
    if hasattr(os, "sched_setaffinity"):  # one thread: the same charts every time
        os.sched_setaffinity(0, {min(os.sched_getaffinity(0))})
    side, padding, count = (int(v) for v in given["settings"])
    atlas = xatlas.Atlas()
    for number in range(count):
        atlas.add_mesh(given[f"p{number}"], given[f"i{number}"], given.get(f"n{number}"))
    charts, packing = xatlas.ChartOptions(), xatlas.PackOptions()
    charts.max_iterations = 1
    packing.resolution, packing.padding, packing.bilinear = side, padding, True
    atlas.generate(charts, packing)
    made: dict[str, Any] = {}
    for number in range(count):
        origin, indices, uv = atlas[number]
        made[f"o{number}"], made[f"i{number}"], made[f"uv{number}"] = np.asarray(origin, np.uint32), np.asarray(indices, np.uint32), np.asarray(uv, np.float32)
    return made


if __name__ == "__main__":
    serve(charted)
