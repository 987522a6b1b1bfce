"""Light that leaks through walls thinner than the texels behind them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.light.lightmaps.baking import Gathered
from trasloco.light.lightmaps.finishing import sound
from trasloco.light.lightmaps.looks import difference
from trasloco.light.lightmaps.texels import places_under
from trasloco.rays.nearest import nearest
from trasloco.render.arrays import FlatScene


@dataclass(frozen=True)
class Walls:
    """Thickness in metres of what stands between neighbouring texels, by part: the middle of what was found."""

    thickness: Mapping[int, float]


def neighbours_of(shape: tuple[int, int], step: int = 1) -> list[tuple[Any, Any]]:
    """Slices of texels and those ``step`` to the right of them, and below."""
    whole, front, back = slice(None), slice(None, -step), slice(step, None)
    return [((whole, front), (whole, back)), ((front, whole), (back, whole))]


def leaks_of(flat: FlatScene, found: Gathered, lux: Floats, ev100: float) -> tuple[Floats, Walls]:
    """ΔE between texels of one chart that something stands between, at the darker of the two; and how thick
    that is.

    Looked at are neighbours, and those with one texel between them that lies partly inside of what stands
    there and so has the light of both sides.
    Blocked at a quarter, a half and a whole texel above the surface: a ridge of the surface itself never is
    at all three.
    """
    shape = lux.shape[:2]
    leak = np.zeros(shape, np.float32)
    place, normal = places_under(flat, found.covered)
    sides = found.covered.touched & (found.counted >= OPEN * found.samples) & (found.covered.centre >= 0)
    mixed = sound(found) & ~sides
    thick: dict[int, list[float]] = {}
    light = lux.sum(axis=-1)
    for step in (1, 2):
        for axis, (one, other) in enumerate(neighbours_of(shape, step)):
            close = sides[one] & sides[other] & (found.covered.chart[one] == found.covered.chart[other])
            if step == 2:
                close &= mixed[:, 1:-1] if axis == 0 else mixed[1:-1, :]
            contrast = np.zeros(close.shape, np.float32)
            contrast[close] = difference(lux[one][close], lux[other][close], ev100)
            close &= contrast > SEEN
            if not close.any():
                continue
            blocked, gap = _between(
                flat, place[one][close], place[other][close], normal[one][close], normal[other][close]
            )
            marked = np.zeros(close.shape, np.float32)
            marked[close] = np.where(blocked, contrast[close], 0)
            darker = light[one] <= light[other]
            leak[one] = np.maximum(leak[one], np.where(darker, marked, 0))
            leak[other] = np.maximum(leak[other], np.where(darker, 0, marked))
            if step == 2:
                middle = (slice(None), slice(1, -1)) if axis == 0 else (slice(1, -1), slice(None))
                leak[middle] = np.maximum(leak[middle], marked)
            parts = found.covered.part[one][close]
            for part in np.unique(parts[blocked]):
                thick.setdefault(int(part), []).extend(gap[blocked & (parts == part)].tolist())
    return leak, Walls({part: float(np.median(values)) for part, values in thick.items()})


def _between(
    flat: FlatScene,
    p: npt.NDArray[np.float64],
    q: npt.NDArray[np.float64],
    n: npt.NDArray[np.float64],
    m: npt.NDArray[np.float64],
) -> tuple[npt.NDArray[np.bool_], npt.NDArray[np.float64]]:
    """Whether something stands between places (N, 3) with normals n and m, and how thick it is in metres."""
    step = np.linalg.norm(q - p, axis=1, keepdims=True)
    blocked, gap = np.ones(len(p), bool), np.zeros(len(p))
    for lift in LIFTS:
        start, end = (p + n * step * lift).astype(np.float32), (q + m * step * lift).astype(np.float32)
        hit, there = nearest(flat.rays, start, end - start)
        back, here = nearest(flat.rays, end, start - end)
        blocked &= (hit >= 0) & (there < 1.0) & (back >= 0) & (here < 1.0)
        gap = np.maximum(
            gap, np.where(blocked, np.maximum(1 - there - here, 0), 0) * np.linalg.norm(end - start, axis=1)
        )
    return blocked, gap


Floats = npt.NDArray[np.float32]


SEEN, CLEAR, STEP = 2.3, 5.0, 8.0
"""ΔE from which a fault counts, from which it is plain, and from which neighbours make a step."""


LIFTS = (0.25, 0.5, 1.0)


OPEN = 0.9
"""Share of paths that must have started in the open for a texel to lie on one side of whatever stands there.
"""
