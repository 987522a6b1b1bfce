"""Which way round a piece is right whose neighbouring faces disagree: decided by rays from the piece itself,
by area where they tell nothing.

Half of a mixed piece is wrong, and the larger half is not always the good one: of a thin slab without its
underside, the top may be turned and the rim right.
With all faces made to agree, one side of the piece sees more of what is outside than the other, as the piece
alone would let it; that is the front.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from trasloco.meshes.topology import Edges, two_ways
from trasloco.rays.embree import RayScene
from trasloco.rays.nearest import nearest
from trasloco.scene.geometry import face_vectors
from trasloco.scene.model import Primitive

_SAMPLES, _DIRECTIONS, _SEED = 96, 8, 13
_TOLD = 0.04
"""Shares of the outside seen from the two sides that differ by less tell nothing: an open sheet sees it from
both.
"""


def faces_to_turn(primitive: Primitive, edges: Edges) -> npt.NDArray[np.bool_]:
    """Faces (M,) to turn so that all neighbours agree and each piece shows its front to the outside; none in
    pieces that agree already.
    """
    group, first = two_ways(edges)
    turn = np.zeros(len(group), bool)
    counts = np.bincount(group[group >= 0], weights=first[group >= 0], minlength=1)
    sizes = np.bincount(group[group >= 0], minlength=1)
    mixed = np.flatnonzero((counts > 0) & (counts < sizes))
    if not len(mixed):
        return turn
    rays = RayScene(
        np.ascontiguousarray(primitive.positions, np.float32),
        np.ascontiguousarray(primitive.indices, np.uint32),
        compact=True,
    )
    vectors = face_vectors(primitive.positions, primitive.indices)
    order = np.argsort(group, kind="stable")
    low, high = (np.searchsorted(group[order], mixed, side=side) for side in ("left", "right"))
    for start, end in zip(low, high, strict=True):
        faces = order[start:end]
        kept = _seen_more(primitive, rays, vectors, faces, first)
        if not kept:
            kept = (
                1
                if edges.area_m2[faces[first[faces]]].sum() >= edges.area_m2[faces[~first[faces]]].sum()
                else -1
            )
        turn[faces] = first[faces] if kept < 0 else ~first[faces]
    return turn


def _seen_more(
    primitive: Primitive,
    rays: RayScene,
    vectors: npt.NDArray[np.float64],
    faces: npt.NDArray[np.int64],
    first: npt.NDArray[np.bool_],
) -> int:
    """1 when the faces of the first way are right, -1 when the others are, 0 when neither side sees more."""
    length = np.linalg.norm(vectors[faces], axis=1)
    faces, length = faces[length > 0], length[length > 0]
    if not len(faces):
        return 0
    rng = np.random.default_rng(_SEED)
    chosen = rng.choice(len(faces), _SAMPLES, p=length / length.sum())
    normals = (
        vectors[faces[chosen]] / length[chosen, None] * np.where(first[faces[chosen]], 1.0, -1.0)[:, None]
    )
    weights = rng.dirichlet((1.0, 1.0, 1.0), _SAMPLES)
    points = (
        primitive.positions[primitive.indices[faces[chosen]]].astype(np.float64) * weights[..., None]
    ).sum(axis=1)
    lift = 1e-5 * max(float(np.ptp(primitive.positions, axis=0).max()), 1e-9)
    free = []
    for sign in (1.0, -1.0):
        out = np.repeat(normals * sign, _DIRECTIONS, axis=0)
        ball = rng.standard_normal(out.shape)
        directions = out * 1.02 + ball / np.linalg.norm(ball, axis=1, keepdims=True)
        directions /= np.linalg.norm(directions, axis=1, keepdims=True)
        hit, _ = nearest(
            rays,
            np.repeat(points + normals * sign * lift, _DIRECTIONS, axis=0).astype(np.float32),
            directions.astype(np.float32),
        )
        free.append(float((hit < 0).mean()))
    return 0 if abs(free[0] - free[1]) < _TOLD else 1 if free[0] > free[1] else -1
