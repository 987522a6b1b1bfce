"""Edges of a primitive with vertices at equal positions taken as one: who meets whom, and in which direction."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from trasloco.scene.geometry import face_vectors
from trasloco.scene.model import Primitive

Integers = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Edges:
    """Undirected edges of a primitive.

    Attributes:
        uses: (E,) faces at each edge. balance: (E,) uses one way minus uses the other; 0 between two faces that agree.
        ends: (E, 2) welded vertex numbers. faces: (E, 2) the first two faces at each edge, -1 for none.
        length_m: (E,). welded: (M, 3) welded vertex numbers of the faces. area_m2: (M,).
    """

    uses: Integers
    balance: Integers
    ends: Integers
    faces: Integers
    length_m: npt.NDArray[np.float64]
    welded: Integers
    area_m2: npt.NDArray[np.float64]

    @property
    def boundary(self) -> npt.NDArray[np.bool_]:
        return np.asarray(self.uses == 1)


def welded_indices(primitive: Primitive) -> Integers:
    """(M, 3) vertex numbers with equal positions made one; equal to about the rounding of single precision over the primitive's extent."""
    if not len(primitive.positions):
        return np.asarray(primitive.indices, np.int64)
    low = primitive.positions.min(axis=0).astype(np.float64)
    cell = max(float((primitive.positions.max(axis=0) - low).max()) * 2e-6, 1e-30)
    grid = np.round((primitive.positions - low) / cell).astype(np.int64)
    _, same = np.unique((grid[:, 0] << 42) + (grid[:, 1] << 21) + grid[:, 2], return_inverse=True)
    return np.asarray(same.reshape(-1)[primitive.indices], np.int64)


def edges_of(primitive: Primitive) -> Edges:
    """The edges; faces with two equal corners take no part."""
    welded = welded_indices(primitive)
    area = np.linalg.norm(face_vectors(primitive.positions, primitive.indices), axis=1) / 2 if len(primitive.indices) else np.zeros(0)
    sound = (welded[:, 0] != welded[:, 1]) & (welded[:, 1] != welded[:, 2]) & (welded[:, 0] != welded[:, 2]) if len(welded) else np.zeros(0, bool)
    numbers = np.flatnonzero(sound)
    start = welded[sound].reshape(-1)
    end = np.roll(welded[sound], -1, axis=1).reshape(-1)
    owner = np.repeat(numbers, 3)
    low, high = np.minimum(start, end), np.maximum(start, end)
    count = int(welded.max(initial=0)) + 1
    order = np.argsort(low * count + high, kind="stable")
    key = (low * count + high)[order]
    first = np.flatnonzero(np.concatenate([[True], key[1:] != key[:-1]])) if len(key) else np.zeros(0, np.int64)
    uses = np.diff(np.concatenate([first, [len(key)]])) if len(key) else np.zeros(0, np.int64)
    direction = np.where(start < end, 1, -1)[order]
    balance = np.add.reduceat(direction, first) if len(key) else np.zeros(0, np.int64)
    faces = np.full((len(first), 2), -1, np.int64)
    if len(key):
        faces[:, 0] = owner[order][first]
        two = uses > 1
        faces[two, 1] = owner[order][first[two] + 1]
    ends = np.stack([low[order][first], high[order][first]], axis=1) if len(key) else np.zeros((0, 2), np.int64)
    place = np.zeros((count, 3))
    place[welded.reshape(-1)] = primitive.positions[primitive.indices.reshape(-1)]
    length = np.linalg.norm(place[ends[:, 0]] - place[ends[:, 1]], axis=1) if len(ends) else np.zeros(0)
    return Edges(uses, balance, ends, faces, length, welded, area)


def agreeing(edges: Edges) -> npt.NDArray[np.bool_]:
    """Faces (M,) that must be turned for all neighbours to agree: within each piece, the smaller group by area.

    Neighbours are walked over edges that exactly two faces share; a face is turned when an odd number of disagreements lies between it and
    its piece's first face. Parity is found by joining each face to its own mirror (2M nodes): agreeing neighbours join like to like.
    """
    count = len(edges.area_m2)
    manifold = edges.uses == 2
    a, b = edges.faces[manifold].T
    disagree = edges.balance[manifold] != 0
    rows = np.concatenate([a, a + count])
    columns = np.concatenate([np.where(disagree, b + count, b), np.where(disagree, b, b + count)])
    _, label = connected_components(coo_matrix((np.ones(len(rows), np.int8), (rows, columns)), shape=(2 * count, 2 * count)), directed=False)
    side, mirror = label[:count], label[count:]
    # One of the two copies of a piece is called its right side: the one with the larger area on it.
    low = np.minimum(side, mirror)
    one = side == low
    groups = int(low.max(initial=0)) + 1
    area_one = np.bincount(low[one], weights=edges.area_m2[one] + 1e-30, minlength=groups)
    area_other = np.bincount(low[~one], weights=edges.area_m2[~one] + 1e-30, minlength=groups)
    wrong = np.where(area_one[low] >= area_other[low], ~one, one)
    return np.asarray(wrong & (side != mirror))
