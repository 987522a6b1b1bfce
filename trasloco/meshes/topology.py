"""Edges of a primitive with vertices at equal positions taken as one: who meets whom, and in which direction."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.scene.model import Primitive
from trasloco.scene.welding import edge_table, face_facts, joined, near_points

Integers = npt.NDArray[np.int32]


@dataclass(frozen=True)
class Edges:
    """Undirected edges of a primitive.

    Attributes:
        uses: (E,) faces at each edge. balance: (E,) uses one way minus uses the other; 0 between two faces
            that agree.
        ends: (E, 2) welded vertex numbers. faces: (E, 2) the first two faces at each edge, -1 for none.
        length_m: (E,). welded: (M, 3) welded vertex numbers of the faces. area_m2, longest_m: (M,) area and
            longest side.
    """

    uses: Integers
    balance: Integers
    ends: Integers
    faces: Integers
    length_m: npt.NDArray[np.float32]
    welded: Integers
    area_m2: npt.NDArray[np.float64]
    longest_m: npt.NDArray[np.float64]

    @property
    def boundary(self) -> npt.NDArray[np.bool_]:
        return np.asarray(self.uses == 1)


def welded_indices(primitive: Primitive) -> Integers:
    """(M, 3) vertex numbers with equal positions made one; equal to about the rounding of single precision
    over the primitive's extent.
    """
    return _welded(primitive)[0]


def _welded(primitive: Primitive) -> tuple[Integers, int]:
    if not len(primitive.positions):
        return np.asarray(primitive.indices, np.int32), 0
    extent = float((primitive.positions.max(axis=0) - primitive.positions.min(axis=0)).max())
    same, count = near_points(primitive.positions, extent * 2e-6)
    return same[primitive.indices], count


def edges_of(primitive: Primitive) -> Edges:
    """The edges; faces with two equal corners take no part."""
    welded, count = _welded(primitive)
    area, longest = face_facts(primitive.positions, primitive.indices)
    ends, uses, balance, faces = edge_table(welded, count)
    place = np.zeros((count, 3), np.float32)
    place[welded.reshape(-1)] = primitive.positions[primitive.indices.reshape(-1)]
    length = np.linalg.norm(place[ends[:, 0]] - place[ends[:, 1]], axis=1)
    return Edges(uses, balance, ends, faces, length, welded, area, longest)


def without_area(edges: Edges) -> npt.NDArray[np.bool_]:
    """Faces (M,) with two corners at one place, or thinner than a millionth of their longest side."""
    w = edges.welded
    same = (w[:, 0] == w[:, 1]) | (w[:, 1] == w[:, 2]) | (w[:, 0] == w[:, 2])
    return np.asarray(same | (edges.area_m2 * 2 <= edges.longest_m**2 * 1e-6))


def two_ways(edges: Edges) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.bool_]]:
    """The two ways round of each piece: a group (M,) of faces that neighbours join, -1 where none can agree,
    and (M,) which faces are of the first way.

    Neighbours are walked over edges that exactly two faces share; two faces go different ways when an odd
    number of disagreements lies between them.
    Parity is found by joining each face to its own mirror (2M nodes): agreeing neighbours join like to like.
    """
    count = len(edges.area_m2)
    manifold = edges.uses == 2
    a, b = edges.faces[manifold].T
    disagree = edges.balance[manifold] != 0
    rows = np.concatenate([a, a + count])
    columns = np.concatenate([np.where(disagree, b + count, b), np.where(disagree, b, b + count)])
    label = joined(rows, columns, 2 * count)
    side, mirror = label[:count].astype(np.int64), label[count:].astype(np.int64)
    low = np.minimum(side, mirror)
    return np.where(side != mirror, low, -1), np.asarray(side == low)
