"""Quads cut along another diagonal: two triangles that share an edge and all four of their vertices, lying one after the other as quads are cut, are one quad."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.inventory.mends.meshes import each_primitive
from trasloco.scene.model import Primitive, Scene

CHOICES = ("shorter", "flatter")
_ONE_QUAD = 0.5
"""Cosine between the normals of two triangles that may be one quad: at most sixty degrees."""


def diagonals(scene: Scene, target: str, value: Any) -> Scene:
    """A part's quads along the ``shorter`` diagonal, or the one along which they fold least (``flatter``); None leaves them as they were cut."""
    return scene if value is None else each_primitive(scene, target, lambda p: turned_quads(p, str(value)))


def turned_quads(primitive: Primitive, by: str) -> Primitive:
    """The primitive with its quads cut as wished; its vertices, and so UVs, normals and borders, stay."""
    indices = primitive.indices.astype(np.int64)
    quads = _quads(primitive.positions.astype(np.float64), indices)
    made = indices.copy()
    positions = primitive.positions.astype(np.float64)
    for first, corners in quads:
        a, b, c, d = corners
        # As cut: a b c and a c d, along a c. The other way: a b d and b c d, along b d.
        other = np.array([[a, b, d], [b, c, d]])
        if not _same_way(positions, np.array([[a, b, c], [a, c, d]]), other):
            continue
        if by == "shorter":
            better = np.linalg.norm(positions[b] - positions[d]) < np.linalg.norm(positions[a] - positions[c]) * (1 - 1e-6)
        else:
            better = _fold(positions, other) > _fold(positions, np.array([[a, b, c], [a, c, d]])) + 1e-9
        if better:
            made[first : first + 2] = other
    return replace(primitive, indices=made.astype(np.uint32))


def _quads(positions: npt.NDArray[np.float64], indices: npt.NDArray[np.int64]) -> list[tuple[int, tuple[int, int, int, int]]]:
    """Number of the first of two triangles, and the corners a, b, c, d around the quad that is cut along a c."""
    found: list[tuple[int, tuple[int, int, int, int]]] = []
    k = 0
    while k + 1 < len(indices):
        corners = _around(indices[k], indices[k + 1])
        if corners is not None and _fold(positions, indices[k : k + 2]) > _ONE_QUAD:
            found.append((k, corners))
            k += 2
        else:
            k += 1
    return found


def _around(first: npt.NDArray[np.int64], second: npt.NDArray[np.int64]) -> tuple[int, int, int, int] | None:
    shared = [int(v) for v in first if v in second]
    if len(shared) != 2:
        return None
    for turn in range(3):
        a, b, c = (int(first[(turn + j) % 3]) for j in range(3))
        if {a, c} == set(shared):
            d = next(int(v) for v in second if v not in (a, c))
            # The second triangle has to run a, c, d the same way round.
            at = [int(v) for v in second].index(a)
            return (a, b, c, d) if int(second[(at + 1) % 3]) == c else None
    return None


def _normals(positions: npt.NDArray[np.float64], triangles: npt.NDArray[np.int64]) -> npt.NDArray[np.float64]:
    p = positions[triangles]
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    return np.asarray(normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30))


def _fold(positions: npt.NDArray[np.float64], triangles: npt.NDArray[np.int64]) -> float:
    """Cosine between two triangles' normals; 1 is flat."""
    a, b = _normals(positions, triangles)
    return float(a @ b)


def _same_way(positions: npt.NDArray[np.float64], cut: npt.NDArray[np.int64], other: npt.NDArray[np.int64]) -> bool:
    """Whether cutting the other way folds no half over: a quad that is not convex can be cut one way only."""
    mean = _normals(positions, cut).sum(axis=0)
    return bool((_normals(positions, other) @ mean > 1e-9).all())
