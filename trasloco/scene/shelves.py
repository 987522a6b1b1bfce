"""Rectangles put into a square, as large as they all fit."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

Placed = tuple[float, float]


def on_shelves(sizes: Sequence[tuple[float, float]]) -> tuple[list[Placed], float]:
    """Where rectangles of (width, height) lie, in rows from the tallest down, and the side of the square that
    holds them: the smallest of some widths of rows that were tried.
    """
    order = sorted(range(len(sizes)), key=lambda k: -sizes[k][1])
    area = sum(w * h for w, h in sizes)
    widest = max((w for w, _ in sizes), default=0.0)
    best: tuple[float, list[Placed]] = (np.inf, [])
    for more in np.linspace(1.0, 2.0, 21):
        width = max(widest, more * area**0.5)
        x = y = row = 0.0
        places: dict[int, Placed] = {}
        for k in order:
            w, h = sizes[k]
            if x + w > width * (1 + 1e-9):
                x, y, row = 0.0, y + row, 0.0
            places[k] = x, y
            x, row = x + w, max(row, h)
        side = max(width, y + row)
        if side < best[0]:
            best = side, [places[k] for k in range(len(sizes))]
    return best[1], best[0] if np.isfinite(best[0]) else 1.0
