"""More triangles: Loop subdivision (Loop 1987), with hard edges and borders as creases (Hoppe et al. 1994)
and UV seams kept.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.scene.geometry import face_vectors
from trasloco.scene.model import Primitive
from trasloco.scene.welding import same_points

_SHARP = 1e-3


def subdivided(primitive: Primitive, level: int) -> Primitive:
    """Every triangle made four, ``level`` times; positions move by Loop's rules, UVs and colours are halved
    linearly.

    An edge is a crease where it is a border, where more than two faces meet, or where the normals of its two
    faces' corners differ; creases
    keep their curve, and corners where three or more meet stay. Skins and morphs are not carried through: the
    caller does not ask for it.
    """
    made, creases = primitive, _creases(primitive)
    welded, count = same_points(primitive.positions)
    points = welded.astype(np.int64)
    for _ in range(level):
        made, creases, points, count = _once(made, creases, points, count)
    return made if made.normals is None else _with_smooth_groups(made, points)


def _edges_of(faces: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """The three edges (3 M, 2) of faces (M, 3), all first edges before all second ones."""
    return np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])


def _creases(primitive: Primitive) -> npt.NDArray[np.int64]:
    """Edges (K, 2), as ordered pairs of welded points, whose two sides have different normals."""
    if primitive.normals is None:
        return np.zeros((0, 2), np.int64)
    points, _ = same_points(primitive.positions)
    own = _edges_of(primitive.indices).astype(np.int64)
    ends = points[own].astype(np.int64)
    turned = ends[:, 0] > ends[:, 1]
    own[turned], ends[turned] = own[turned][:, ::-1], ends[turned][:, ::-1]
    edges, number, uses = np.unique(ends, axis=0, return_inverse=True, return_counts=True)
    order = np.argsort(number.reshape(-1), kind="stable")
    start = np.cumsum(uses) - uses
    pair = np.flatnonzero(uses == 2)
    one, other = own[order[start[pair]]], own[order[start[pair] + 1]]
    apart = np.abs(primitive.normals[one] - primitive.normals[other]).max(axis=(1, 2)) > _SHARP
    return np.asarray(edges[pair[apart]])


def _once(
    p: Primitive, creases: npt.NDArray[np.int64], points: npt.NDArray[np.int64], count: int
) -> tuple[Primitive, npt.NDArray[np.int64], npt.NDArray[np.int64], int]:
    faces = points[p.indices]
    place = np.zeros((count, 3))
    place[points] = p.positions
    opposite = np.concatenate([faces[:, 2], faces[:, 0], faces[:, 1]])
    edges, of_corner, uses = np.unique(
        np.sort(_edges_of(faces), axis=1), axis=0, return_inverse=True, return_counts=True
    )
    of_corner = of_corner.reshape(-1)
    sharp = (uses != 2) | np.isin(edges[:, 0] * count + edges[:, 1], creases[:, 0] * count + creases[:, 1])
    across = np.zeros((len(edges), 3))
    np.add.at(across, of_corner, place[opposite])
    middle = place[edges].mean(axis=1)
    on_edge = np.where(sharp[:, None], middle, 0.75 * middle + 0.125 * across)
    moved = _moved_points(place, edges, sharp, count)
    # Attributes are split per attribute edge, so that both sides of a seam keep their own values.
    pairs, number = np.unique(
        np.sort(_edges_of(p.indices).astype(np.int64), axis=1), axis=0, return_inverse=True
    )
    number = number.reshape(-1)
    edge_of_pair = np.zeros(len(pairs), np.int64)
    edge_of_pair[number] = of_corner
    old, size = len(p.positions), len(p.indices)
    m0, m1, m2 = (old + number[k * size : (k + 1) * size] for k in range(3))
    i0, i1, i2 = (p.indices[:, k].astype(np.int64) for k in range(3))
    indices = np.concatenate(
        [np.stack(t, 1) for t in ((i0, m0, m2), (m0, i1, m1), (m2, m1, i2), (m0, m1, m2))]
    ).astype(np.uint32)

    def halved(values: npt.NDArray[Any]) -> npt.NDArray[np.float32]:
        return np.concatenate([values, values[pairs].mean(axis=1)]).astype(np.float32)

    made = replace(
        p,
        positions=np.concatenate([moved[points], on_edge[edge_of_pair]]).astype(np.float32),
        indices=indices,
        normals=None if p.normals is None else halved(p.normals),
        tangents=None,
        uvs=tuple(halved(uv) for uv in p.uvs),
        colors=None if p.colors is None else halved(p.colors),
        joints=None,
        weights=None,
        morphs=(),
    )
    split = np.flatnonzero(sharp & (uses == 2))
    kept = np.concatenate([np.stack([edges[split, k], count + split], axis=1) for k in range(2)])
    return made, kept, np.concatenate([points, count + edge_of_pair]), count + len(edges)


def _with_smooth_groups(p: Primitive, points: npt.NDArray[np.int64]) -> Primitive:
    """Normals of the new shape: at a point, corners whose old normals agree belong together, across UV seams
    too; each group sums its faces by area.
    """
    assert p.normals is not None
    keys = np.concatenate([points[:, None], np.round(p.normals * 4096).astype(np.int64)], axis=1)
    _, group = np.unique(keys, axis=0, return_inverse=True)
    group = group.reshape(-1)
    total = np.zeros((int(group.max()) + 1, 3))
    faces = face_vectors(p.positions, p.indices)
    for k in range(3):
        np.add.at(total, group[p.indices[:, k]], faces)
    total /= np.maximum(np.linalg.norm(total, axis=1, keepdims=True), 1e-30)
    return replace(p, normals=total[group].astype(np.float32))


def _moved_points(
    place: npt.NDArray[Any], edges: npt.NDArray[Any], sharp: npt.NDArray[np.bool_], count: int
) -> npt.NDArray[Any]:
    """Old points by Loop's rules: smooth ones by their ring, those on one crease by its two neighbours,
    corners not at all.
    """
    ends = np.concatenate([edges[:, 0], edges[:, 1]])
    others = np.concatenate([edges[:, 1], edges[:, 0]])
    crease = np.concatenate([sharp, sharp])
    ring, valence = np.zeros((count, 3)), np.bincount(ends, minlength=count)
    np.add.at(ring, ends, place[others])
    along, creased = np.zeros((count, 3)), np.bincount(ends[crease], minlength=count)
    np.add.at(along, ends[crease], place[others[crease]])
    n = np.maximum(valence, 1)
    beta = (5 / 8 - (3 / 8 + np.cos(2 * np.pi / n) / 4) ** 2) / n
    smooth = (1 - n * beta)[:, None] * place + beta[:, None] * ring
    on_crease = 0.75 * place + 0.125 * along
    return np.where((creased >= 3)[:, None], place, np.where((creased == 2)[:, None], on_crease, smooth))
