"""How far two surfaces lie apart."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.fit.geometry.nearest_triangle import distances
from trasloco.scene.geometry import blended, spread_points

_POINTS, _SEED = 10_000, 9


@dataclass(frozen=True)
class Deviation:
    """Distances in the meshes' own unit, over both directions: the largest found, and the mean."""

    largest: float
    mean: float


def deviation(
    first: tuple[npt.NDArray[Any], npt.NDArray[Any]], second: tuple[npt.NDArray[Any], npt.NDArray[Any]]
) -> Deviation:
    """Between two meshes of positions (N, 3) and indices (M, 3): points spread over each by area, and its
    vertices, against the nearest triangles of the other.

    A sampled Hausdorff distance (Aspert, Santa-Cruz and Ebrahimi 2002): it can miss a spike between the
    points, never invent one.
    """
    there, back = _one_way(first, second), _one_way(second, first)
    both = np.concatenate([there, back])
    return Deviation(float(both.max(initial=0)), float(both.mean()) if len(both) else 0.0)


def _one_way(
    first: tuple[npt.NDArray[Any], npt.NDArray[Any]], second: tuple[npt.NDArray[Any], npt.NDArray[Any]]
) -> npt.NDArray[np.float64]:
    """Exact distances of points on the first from the second."""
    rng = np.random.default_rng(_SEED)
    vertices = rng.permutation(np.unique(first[1]))[:_POINTS]
    points = np.concatenate([_spread(*first, _POINTS, rng), first[0][vertices].astype(np.float64)])
    return distances(points, second[0][second[1]].astype(np.float64))


def _spread(
    positions: npt.NDArray[Any], indices: npt.NDArray[Any], count: int, rng: np.random.Generator
) -> npt.NDArray[np.float64]:
    spread = spread_points(positions, indices, count, rng)
    return (
        np.asarray(positions[np.unique(indices)], np.float64)
        if spread is None
        else blended(positions, indices[spread[0]], spread[1])
    )
