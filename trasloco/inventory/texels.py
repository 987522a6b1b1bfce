"""Which texels triangles of a UV set cover, and which of them share any."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit

_SIDE = 1024


@njit()
def _fill(corners: Any, first: Any, shared: Any) -> None:
    """Mark every triangle (T, 3, 2, texels) whose inner texel centres meet those of an earlier one, and that
    one too.
    """
    side = first.shape[0]
    for t in range(corners.shape[0]):
        x0, y0, x1, y1, x2, y2 = (
            corners[t, 0, 0],
            corners[t, 0, 1],
            corners[t, 1, 0],
            corners[t, 1, 1],
            corners[t, 2, 0],
            corners[t, 2, 1],
        )
        area = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
        if abs(area) < 1e-9:
            continue
        low_x, high_x = max(int(min(x0, x1, x2)), 0), min(int(max(x0, x1, x2)) + 1, side)
        low_y, high_y = max(int(min(y0, y1, y2)), 0), min(int(max(y0, y1, y2)) + 1, side)
        for y in range(low_y, high_y):
            for x in range(low_x, high_x):
                px, py = x + 0.5, y + 0.5
                b = ((px - x0) * (y2 - y0) - (x2 - x0) * (py - y0)) / area
                c = ((x1 - x0) * (py - y0) - (px - x0) * (y1 - y0)) / area
                if b > 1e-4 and c > 1e-4 and b + c < 1 - 1e-4:
                    other = first[y, x]
                    if other >= 0:
                        shared[t] = True
                        shared[other] = True
                    else:
                        first[y, x] = t


def overlapping_triangles(uv: npt.NDArray[np.float64]) -> npt.NDArray[np.bool_]:
    """(T,) whether each of (T, 3, 2) triangles shares a texel with another, on a grid over their own extent."""
    shared = np.zeros(len(uv), np.bool_)
    low, high = uv.reshape(-1, 2).min(axis=0), uv.reshape(-1, 2).max(axis=0)
    span = max(float((high - low).max()), 1e-12)
    _fill(np.ascontiguousarray((uv - low) / span * _SIDE), np.full((_SIDE, _SIDE), -1, np.int64), shared)
    return shared
