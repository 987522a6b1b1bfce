"""The program behind :mod:`trasloco.scene.charts`."""

from __future__ import annotations

import os
from typing import Any

import numpy as np
import xatlas

from trasloco.own_process import Arrays, serve


def charted(given: Arrays) -> Arrays:
    if hasattr(os, "sched_setaffinity"):  # one thread: the same charts every time
        able = sorted(os.sched_getaffinity(0))
        os.sched_setaffinity(0, {able[os.getpid() % len(able)]})
    made: dict[str, Any] = {}
    number = 0
    for count, side, padding in zip(given["counts"], given["sides"], given["paddings"], strict=True):
        atlas = xatlas.Atlas()
        for k in range(number, number + int(count)):
            atlas.add_mesh(given[f"p{k}"], given[f"i{k}"], given.get(f"n{k}"))
        charts, packing = xatlas.ChartOptions(), xatlas.PackOptions()
        charts.max_iterations = 1
        packing.resolution, packing.padding, packing.bilinear = int(side), int(padding), True
        atlas.generate(charts, packing)
        for k in range(int(count)):
            origin, indices, uv = atlas[k]
            made[f"o{number + k}"], made[f"i{number + k}"], made[f"uv{number + k}"] = (
                np.asarray(origin, np.uint32),
                np.asarray(indices, np.uint32),
                np.asarray(uv, np.float32),
            )
        number += int(count)
    return made


if __name__ == "__main__":
    serve(charted)
