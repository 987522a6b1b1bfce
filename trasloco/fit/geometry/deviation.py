"""How far two surfaces lie apart."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy.spatial import cKDTree

from trasloco.scene.geometry import blended, spread_points

_POINTS, _PIECES, _MOST_CUTS, _CHUNK, _SEED = 10_000, 5_000, 12, 2_000, 9


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
    """Exact distances of points on the first from the second.

    The second is cut into pieces of one size. The nearest piece's triangle bounds the distance; any nearer
    one has a piece whose centre lies
    within that bound and the pieces' own radius.
    """
    rng = np.random.default_rng(_SEED)
    vertices = rng.permutation(np.unique(first[1]))[:_POINTS]
    points = np.concatenate([_spread(*first, _POINTS, rng), first[0][vertices].astype(np.float64)])
    corners = second[0][second[1]].astype(np.float64)
    centers, owners, radius = _pieces(corners)
    tree = cKDTree(centers)
    _, nearest = tree.query(points)
    best = distance_to_triangles(points, corners[owners[nearest]])
    for start in range(0, len(points), _CHUNK):
        part = slice(start, start + _CHUNK)
        lists = tree.query_ball_point(points[part], best[part] + radius)
        count = np.array([len(found) for found in lists])
        which = start + np.repeat(np.arange(len(lists)), count)
        pairs = np.unique(
            np.stack(
                [which, owners[np.concatenate([np.asarray(found, np.int64) for found in lists])]], axis=1
            ),
            axis=0,
        )
        np.minimum.at(best, pairs[:, 0], distance_to_triangles(points[pairs[:, 0]], corners[pairs[:, 1]]))
    return best


def _pieces(corners: npt.NDArray[np.float64]) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.int64], float]:
    """Triangles (M, 3, 3) cut in four until none is larger than a typical one: centres (P, 3), the triangle
    each is of, and the largest radius.
    """
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    wanted = max(float(np.sqrt(area.sum() / _PIECES)), 1e-12)
    pieces, owners = corners, np.arange(len(corners))
    for _ in range(_MOST_CUTS):
        radii = np.linalg.norm(pieces - pieces.mean(axis=1, keepdims=True), axis=2).max(axis=1)
        large = radii > wanted * 2
        if not large.any() or len(pieces) > 40 * _PIECES:
            break
        a, b, c = (pieces[large, k] for k in range(3))
        ab, bc, ca = (a + b) / 2, (b + c) / 2, (c + a) / 2
        cut = np.concatenate([np.stack(t, 1) for t in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))])
        pieces, owners = (
            np.concatenate([pieces[~large], cut]),
            np.concatenate([owners[~large], np.tile(owners[large], 4)]),
        )
    radii = np.linalg.norm(pieces - pieces.mean(axis=1, keepdims=True), axis=2).max(axis=1)
    return pieces.mean(axis=1), owners, float(radii.max())


def _spread(
    positions: npt.NDArray[Any], indices: npt.NDArray[Any], count: int, rng: np.random.Generator
) -> npt.NDArray[np.float64]:
    spread = spread_points(positions, indices, count, rng)
    return (
        np.asarray(positions[np.unique(indices)], np.float64)
        if spread is None
        else blended(positions, indices[spread[0]], spread[1])
    )


def distance_to_triangles(
    points: npt.NDArray[np.float64], triangles: npt.NDArray[np.float64]
) -> npt.NDArray[np.float64]:
    """Distance of each point (N, 3) from its triangle (N, 3, 3): to the plane where the foot lies inside, to
    the nearest edge otherwise.
    """
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    normal = np.cross(b - a, c - a)
    length = np.linalg.norm(normal, axis=1, keepdims=True)
    unit = normal / np.maximum(length, 1e-300)
    above = np.einsum("nc,nc->n", points - a, unit)
    foot = points - above[:, None] * unit
    inside = length[:, 0] > 1e-300
    for start, end in ((a, b), (b, c), (c, a)):
        inside &= np.einsum("nc,nc->n", np.cross(end - start, foot - start), unit) >= 0
    edges = np.min(
        np.stack([_to_segment(points, start, end) for start, end in ((a, b), (b, c), (c, a))]), axis=0
    )
    return np.asarray(np.where(inside, np.abs(above), edges))


def _to_segment(
    points: npt.NDArray[np.float64], start: npt.NDArray[np.float64], end: npt.NDArray[np.float64]
) -> npt.NDArray[np.float64]:
    along = end - start
    share = np.clip(
        np.einsum("nc,nc->n", points - start, along)
        / np.maximum(np.einsum("nc,nc->n", along, along), 1e-300),
        0,
        1,
    )
    return np.asarray(np.linalg.norm(points - start - share[:, None] * along, axis=1))
