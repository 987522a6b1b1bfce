"""The program behind :mod:`trasloco.scene.charts`: an ``.npz`` of meshes on standard input, one of charts on standard output."""

from __future__ import annotations

import io
import os
import sys
from typing import Any

import numpy as np
import xatlas


def main() -> None:
    if hasattr(os, "sched_setaffinity"):  # one thread: the same charts every time
        os.sched_setaffinity(0, {min(os.sched_getaffinity(0))})
    made: dict[str, Any] = {}
    with np.load(io.BytesIO(sys.stdin.buffer.read())) as given:
        side, padding, count = (int(v) for v in given["settings"])
        atlas = xatlas.Atlas()
        for number in range(count):
            atlas.add_mesh(given[f"p{number}"], given[f"i{number}"], given.get(f"n{number}"))
        charts, packing = xatlas.ChartOptions(), xatlas.PackOptions()
        charts.max_iterations = 1
        packing.resolution, packing.padding, packing.bilinear = side, padding, True
        atlas.generate(charts, packing)
        for number in range(count):
            origin, indices, uv = atlas[number]
            made[f"o{number}"], made[f"i{number}"], made[f"uv{number}"] = np.asarray(origin, np.uint32), np.asarray(indices, np.uint32), np.asarray(uv, np.float32)
    answer = io.BytesIO()
    np.savez(answer, **made)
    sys.stdout.buffer.write(answer.getvalue())
    sys.stdout.flush()
    os._exit(0)  # what was made is out; the library's own threads need not be waited for


if __name__ == "__main__":
    main()
