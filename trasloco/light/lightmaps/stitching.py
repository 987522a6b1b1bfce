"""Seams: edges of the surface that lie at two places of the lightmaps, and the texels changed least so that
both agree.

Least squares over the texels that the two sides of an edge read (Iwanicki, SIGGRAPH 2013 talks).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt

from trasloco.light.lightmaps.layout import Laid, map_image
from trasloco.light.lightmaps.texels import placed_corners
from trasloco.render.arrays import FlatScene

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

Doubles = npt.NDArray[np.float64]
Floats = npt.NDArray[np.float32]
HOLD = 0.005
"""How much a texel is held to what it was, against the agreement of the two sides."""
_ROUNDS = 5
SMOOTH_COSINE = 0.9
"""Edges are seams where the surface runs on smoothly; light may differ on the two sides of a hard one."""


@dataclass(frozen=True)
class Seams:
    """Points along seams.

    ``image`` (S, 2), ``at`` (S, 2, 2) in texels and ``part`` (S, 2), for the two places of each.
    """

    image: npt.NDArray[np.int64]
    at: Doubles
    part: npt.NDArray[np.int64]


def find_seams(flat: FlatScene, laid: Laid) -> Seams:
    """Points along every smooth edge with two places in the lightmaps, two to a texel."""
    triangles, corners, images, parts = [], [], [], []
    for number, (width, height) in enumerate(laid.sizes):
        for part, id in enumerate(flat.part_ids):
            given = laid.scene.nodes[id].lightmap if id in laid.scene.nodes else None
            if given is not None and given.image == map_image(number):
                found, placed = placed_corners(flat, part, given, width, height)
                triangles.append(found)
                corners.append(placed)
                images.append(np.full(len(found), number))
                parts.append(np.full(len(found), part))
    if not triangles:
        return Seams(np.zeros((0, 2), np.int64), np.zeros((0, 2, 2)), np.zeros((0, 2), np.int64))
    faces = flat.arrays.triangles[np.concatenate(triangles)]
    corner, image, owner = np.concatenate(corners), np.concatenate(images), np.concatenate(parts)
    points = flat.arrays.positions[faces].astype(np.float64)
    normals = flat.arrays.normals[faces].astype(np.float64)
    extent = max(float(np.ptp(points.reshape(-1, 3), axis=0).max()), 1e-6)
    _, same = np.unique(
        np.round(points.reshape(-1, 3) / extent * 2**19).astype(np.int64), axis=0, return_inverse=True
    )
    same = same.reshape(-1, 3)
    a, b = same[:, [0, 1, 2]].reshape(-1), same[:, [1, 2, 0]].reshape(-1)
    face = np.repeat(np.arange(len(faces)), 3)
    first, second = np.tile([0, 1, 2], len(faces)), np.tile([1, 2, 0], len(faces))
    swap = a > b
    low, high = np.where(swap, b, a), np.where(swap, a, b)
    first, second = np.where(swap, second, first), np.where(swap, first, second)
    order = np.lexsort((face, high, low))
    low, high, face, first, second = low[order], high[order], face[order], first[order], second[order]
    pair = np.flatnonzero((low[1:] == low[:-1]) & (high[1:] == high[:-1]) & (low[1:] != high[1:]))
    ends = []
    for k in (pair, pair + 1):
        ends.append(np.stack([corner[face[k], first[k]], corner[face[k], second[k]]], axis=1))
    bend = np.minimum(
        (normals[face[pair], first[pair]] * normals[face[pair + 1], first[pair + 1]]).sum(axis=1),
        (normals[face[pair], second[pair]] * normals[face[pair + 1], second[pair + 1]]).sum(axis=1),
    )
    apart = np.abs(ends[0] - ends[1]).max(axis=(1, 2)) > 1e-3
    apart |= image[face[pair]] != image[face[pair + 1]]
    keep = np.flatnonzero(apart & (bend > SMOOTH_COSINE))
    length = np.maximum(
        np.linalg.norm(ends[0][keep, 1] - ends[0][keep, 0], axis=1),
        np.linalg.norm(ends[1][keep, 1] - ends[1][keep, 0], axis=1),
    )
    count = np.clip(np.ceil(length * 2), 2, 4096).astype(int)
    which = np.repeat(keep, count)
    steps = (np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count) + 0.5) / np.repeat(
        count, count
    )
    at = np.stack(
        [side[which, 0] + (side[which, 1] - side[which, 0]) * steps[:, None] for side in ends], axis=1
    )
    return Seams(
        np.stack([image[face[pair[which]]], image[face[pair[which] + 1]]], axis=1).astype(np.int64),
        at,
        np.stack([owner[face[pair[which]]], owner[face[pair[which] + 1]]], axis=1).astype(np.int64),
    )


def _footprint(
    seams: Seams, side: int, sizes: Sequence[tuple[int, int]], starts: npt.NDArray[np.int64]
) -> tuple[npt.NDArray[np.int64], Doubles]:
    """Texels (S, 4) over all lightmaps that a side of each point reads, and their bilinear weights."""
    image = seams.image[:, side]
    width, height = np.array([s[0] for s in sizes])[image], np.array([s[1] for s in sizes])[image]
    x, y = seams.at[:, side, 0] - 0.5, seams.at[:, side, 1] - 0.5
    x0, y0 = np.floor(x), np.floor(y)
    fx, fy = x - x0, y - y0
    cells, weights = [], []
    for dx, dy, w in (
        (0, 0, (1 - fx) * (1 - fy)),
        (1, 0, fx * (1 - fy)),
        (0, 1, (1 - fx) * fy),
        (1, 1, fx * fy),
    ):
        column, row = np.clip(x0 + dx, 0, width - 1), np.clip(y0 + dy, 0, height - 1)
        cells.append((starts[image] + row * width + column).astype(np.int64))
        weights.append(w)
    return np.stack(cells, axis=1), np.stack(weights, axis=1)


def _starts(sizes: Sequence[tuple[int, int]]) -> npt.NDArray[np.int64]:
    return np.concatenate([[0], np.cumsum([w * h for w, h in sizes])]).astype(np.int64)


def sides_of(seams: Seams, maps: Sequence[Floats], sizes: Sequence[tuple[int, int]]) -> tuple[Floats, Floats]:
    """Light (S, 3) that the two sides of each point read."""
    whole, starts = np.concatenate([m.reshape(-1, 3) for m in maps]), _starts(sizes)
    found = []
    for side in (0, 1):
        cells, weights = _footprint(seams, side, sizes, starts)
        found.append(np.asarray((whole[cells] * weights[..., None]).sum(axis=1), np.float32))
    return found[0], found[1]


def stitched(seams: Seams, maps: Sequence[Floats], sizes: Sequence[tuple[int, int]]) -> list[Floats]:
    """The lightmaps with texels along seams changed least so that both sides agree."""
    from scipy.sparse import coo_matrix, identity

    if not len(seams.image):
        return list(maps)
    starts = _starts(sizes)
    whole = np.concatenate([m.reshape(-1, 3) for m in maps]).astype(np.float64)
    (first, w1), (second, w2) = (_footprint(seams, side, sizes, starts) for side in (0, 1))
    cells, weights = np.concatenate([first, second], axis=1), np.concatenate([w1, -w2], axis=1)
    used, local = np.unique(cells, return_inverse=True)
    rows = np.repeat(np.arange(len(cells)), 8)
    matrix = coo_matrix(
        (weights.reshape(-1), (rows, local.reshape(-1))), shape=(len(cells), len(used))
    ).tocsr()
    normal = (matrix.T @ matrix + HOLD * identity(len(used))).tocsr()
    made = whole.copy()
    for channel in range(3):
        made[used, channel] = _least_above_zero(normal, whole[used, channel])
    return [
        made[starts[k] : starts[k + 1]].reshape(h, w, 3).astype(np.float32) for k, (w, h) in enumerate(sizes)
    ]


def _least_above_zero(normal: csr_matrix, before: Doubles) -> Doubles:
    """The least-squares light (U,) that is nowhere negative: what falls below zero is held there and the rest
    is solved again, since cutting it off would open its seams.
    """
    from scipy.sparse.linalg import LinearOperator, cg

    found, held = before.copy(), np.zeros(len(before), bool)
    for _ in range(_ROUNDS):
        free = ~held

        def among_free(light: Doubles, free: npt.NDArray[np.bool_] = free) -> Doubles:
            return np.asarray(np.where(free, normal @ (light * free), light))

        found, _ = cg(
            LinearOperator(normal.shape, among_free, dtype=np.float64),
            np.where(held, 0.0, HOLD * before),
            x0=np.where(held, 0.0, found),
            rtol=1e-5,
            maxiter=150 if held.any() else 400,
        )
        below = found < 0
        if not below.any():
            break
        held |= below
    return np.maximum(found, 0)
