"""IDs: pieces told apart by colour, the colours as others see them, and colours chosen to be told apart by
everyone.

Colour-blind sight is simulated by the matrices of Machado, Oliveira and Fernandes (2009) at full severity,
applied to linear RGB.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.scene.color import delta_e_of_linear, linear_to_srgb, srgb_to_linear
from trasloco.scene.model import Scene

Colors = npt.NDArray[np.float64]

SIGHTS: dict[str, Colors] = {
    "normal": np.eye(3),
    "protan": np.array(
        [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]]
    ),
    "deutan": np.array(
        [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]]
    ),
    "tritan": np.array(
        [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]]
    ),
}
VISIBLE_STEP, APART = 5.0, 3.0
_MOST, _FLAT = 256, 0.004


def as_seen(linear: Colors, sight: str) -> Colors:
    """(N, 3) linear colours as a person with that sight sees them, clipped to the screen's range."""
    return np.asarray(np.clip(linear @ SIGHTS[sight].T, 0, 1))


def id_colors(scene: Scene) -> dict[str, Colors]:
    """Part id to its (K, 3) distinct linear colours, for parts whose every face has one colour and that wear
    between 2 and 256 of them.
    """
    found: dict[str, Colors] = {}
    for part in scene.parts():
        colors: list[Any] = []
        for p in scene.meshes[part.mesh or ""].primitives:
            own = flat_face_colors(p.colors, p.indices) if p.colors is not None else None
            if own is None:
                colors = []
                break
            colors.append(np.unique(own.round(4), axis=0))
        distinct = np.unique(np.concatenate(colors), axis=0) if colors else np.zeros((0, 3))
        if 2 <= len(distinct) <= _MOST:
            found[part.id] = distinct
    return found


def flat_face_colors(colors: npt.NDArray[Any] | None, indices: npt.NDArray[Any]) -> Colors | None:
    """(M, 3) the one colour of every face, or None when any face has several."""
    if colors is None or not len(indices):
        return None
    corners = colors[indices][..., :3].astype(np.float64)
    return corners.mean(axis=1) if float(np.ptp(corners, axis=1).max()) < _FLAT else None


def look_alikes(colors: Colors) -> list[tuple[int, int, str, float]]:
    """Pairs (first, second, sight, ΔE) that are hard to tell apart, closest first; each pair with the sight
    it is worst for.

    Full colour sight needs a visible step of ΔE 5 between small marks, colour-blind sight ΔE 3 as simulated.
    """
    found: dict[tuple[int, int], tuple[int, int, str, float]] = {}
    first, second = np.triu_indices(len(colors), 1)
    for sight in SIGHTS:
        seen = as_seen(colors, sight)
        difference = delta_e_of_linear(seen[first], seen[second])
        limit = VISIBLE_STEP if sight == "normal" else APART
        for a, b, d in zip(
            first[difference < limit], second[difference < limit], difference[difference < limit], strict=True
        ):
            key = (int(a), int(b))
            if key not in found or (sight == "normal" and found[key][2] != "normal"):
                found[key] = (int(a), int(b), sight, float(d))
    return sorted(found.values(), key=lambda pair: pair[3])


def distinct_colors(count: int) -> Colors:
    """(count, 3) linear colours that stay apart under all four sights: farthest-point choice from a grid of
    the screen's colours.

    The first is a mid grey; each next is the one whose smallest ΔE to those chosen, over all sights, is
    largest.
    """
    levels = np.linspace(0.05, 1.0, 9)
    grid: Colors = np.asarray(
        srgb_to_linear(np.array(np.meshgrid(levels, levels, levels)).reshape(3, -1).T), np.float64
    )
    seen = {sight: as_seen(grid, sight) for sight in SIGHTS}
    chosen = [int(np.abs(linear_to_srgb(grid) - 0.5).sum(axis=1).argmin())]
    nearest = np.full(len(grid), np.inf)
    while len(chosen) < count:
        last = chosen[-1]
        for table in seen.values():
            nearest = np.minimum(nearest, delta_e_of_linear(table, np.broadcast_to(table[last], table.shape)))
        best = int(nearest.argmax())
        if nearest[best] <= 0:
            break
        chosen.append(best)
    while len(chosen) < count:  # more IDs than the grid can keep apart: numbers beside the colours still do
        chosen.append(chosen[len(chosen) % len(grid)])
    return np.asarray(grid[chosen], np.float64)


def separation(colors: Colors) -> dict[str, float]:
    """The smallest ΔE between any two, for each sight; infinite for fewer than two."""
    first, second = np.triu_indices(len(colors), 1)
    if not len(first):
        return {sight: float("inf") for sight in SIGHTS}
    return {
        sight: float(delta_e_of_linear(as_seen(colors, sight)[first], as_seen(colors, sight)[second]).min())
        for sight in SIGHTS
    }
