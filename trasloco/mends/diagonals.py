"""Quads cut along another diagonal: two triangles that share an edge and all four of their vertices, lying
one after the other as quads are cut, are one quad.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.mends.own_meshes import each_primitive
from trasloco.scene.model import Doubles, Primitive, Scene

Integers = npt.NDArray[np.int64]
_ONE_QUAD = 0.5
"""Cosine between the normals of two triangles that may be one quad: at most sixty degrees."""


def diagonals(scene: Scene, target: str, value: Any) -> Scene:
    """A part's quads along the ``shorter`` diagonal, or the one along which they fold least (``flatter``);
    None leaves them as they were cut.
    """
    return scene if value is None else each_primitive(scene, target, lambda p: turned_quads(p, str(value)))


def turned_quads(primitive: Primitive, by: str) -> Primitive:
    """The primitive with its quads cut as wished; its vertices, and so UVs, normals and borders, stay."""
    indices, points = primitive.indices.astype(np.int64), primitive.positions.astype(np.float64)
    first, corners = _quads(points, indices)
    if not len(first):
        return primitive
    a, b, c, d = corners.T
    # As cut: a b c and a c d, along a c. The other way: a b d and b c d, along b d.
    cut, other = (
        np.stack([np.stack([a, b, c], 1), np.stack([a, c, d], 1)], 1),
        np.stack([np.stack([a, b, d], 1), np.stack([b, c, d], 1)], 1),
    )
    if by == "shorter":
        better = np.linalg.norm(points[b] - points[d], axis=1) < np.linalg.norm(
            points[a] - points[c], axis=1
        ) * (1 - 1e-6)
    else:
        better = _fold(points, other) > _fold(points, cut) + 1e-9
    better &= _same_way(points, cut, other)
    made = indices.copy()
    made[first[better]], made[first[better] + 1] = other[better, 0], other[better, 1]
    return replace(primitive, indices=made.astype(np.uint32))


def _quads(points: Doubles, indices: Integers) -> tuple[Integers, Integers]:
    """Numbers (Q,) of the first of two triangles, and the corners (Q, 4) a, b, c, d around each quad, which
    is cut along a c.
    """
    one, two = indices[:-1], indices[1:]
    found, corners = np.zeros(len(one), bool), np.zeros((len(one), 4), np.int64)
    for turn in range(3):
        a, b, c = (one[:, (turn + j) % 3] for j in range(3))
        for at in range(3):
            # The second triangle runs a, c, d the same way round, and d is none of the first one's.
            d = two[:, (at + 2) % 3]
            fits = ~found & (two[:, at] == a) & (two[:, (at + 1) % 3] == c) & (d != b)
            corners[fits] = np.stack([a, b, c, d], axis=1)[fits]
            found |= fits
    places = np.flatnonzero(found)
    places = places[_fold(points, np.stack([one[places], two[places]], axis=1)) > _ONE_QUAD]
    # Each triangle belongs to one quad: of quads that follow one another, every second.
    starts = np.concatenate([[True], np.diff(places) != 1]) if len(places) else np.zeros(0, bool)
    run = np.flatnonzero(starts)[np.cumsum(starts) - 1] if len(places) else np.zeros(0, np.int64)
    first = places[(np.arange(len(places)) - run) % 2 == 0]
    return first, corners[first]


def _normals(points: Doubles, triangles: Integers) -> Doubles:
    """Unit normals (..., 3) of triangles (..., 3)."""
    p = points[triangles]
    normal = np.cross(p[..., 1, :] - p[..., 0, :], p[..., 2, :] - p[..., 0, :])
    return np.asarray(normal / np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-30))


def _fold(points: Doubles, pairs: Integers) -> Doubles:
    """Cosine between the normals of pairs of triangles (Q, 2, 3); 1 is flat."""
    normals = _normals(points, pairs)
    return np.asarray((normals[:, 0] * normals[:, 1]).sum(axis=-1))


def _same_way(points: Doubles, cut: Integers, other: Integers) -> npt.NDArray[np.bool_]:
    """Whether cutting the other way folds no half over: a quad that is not convex can be cut one way only."""
    mean = _normals(points, cut).sum(axis=1, keepdims=True)
    return np.asarray(((_normals(points, other) * mean).sum(axis=-1) > 1e-9).all(axis=1))
