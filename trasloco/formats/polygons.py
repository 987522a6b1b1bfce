"""Polygons with separately indexed corners (OBJ, PLY, COLLADA, USD) as triangles with shared vertices."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.meshes.polygon import cut_polygon
from trasloco.scene.extent import within_reach
from trasloco.scene.model import Floats, Indices, Primitive

Integers = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Attribute:
    """Values (V, C) and which of them each corner takes, (corners,); an index outside the values is a fault
    of the file.
    """

    values: npt.NDArray[Any]
    at: Integers


@dataclass(frozen=True)
class Triangulated:
    """A primitive, the polygon each triangle (M,) and the point each vertex (N,) came from, and how many
    polygons had to be left out.
    """

    primitive: Primitive
    polygon: Integers
    point: Integers
    dropped: int


def triangulated(
    sizes: Integers,
    points: Attribute,
    normals: Attribute | None = None,
    uvs: Sequence[Attribute] = (),
    colors: Attribute | None = None,
    material: str | None = None,
    holes: npt.NDArray[np.bool_] | None = None,
) -> Triangulated:
    """Triangles of polygons of ``sizes`` corners, laid one after another.

    Corners with the same point, normal, UVs and colour become one vertex. Polygons that name points, normals,
    UVs or colours which do not
    exist, or a point that is not finite, are left out and counted. Quads are cut along the diagonal that
    folds neither half over;
    larger polygons are fanned when convex and clipped ear by ear when not. V runs up in ``uvs`` and down in
    the result.
    """
    sizes = np.asarray(sizes, np.int64)
    starts = np.concatenate([[0], np.cumsum(sizes)[:-1]]) if len(sizes) else np.zeros(0, np.int64)
    attributes = [points, *([normals] if normals else []), *uvs, *([colors] if colors else [])]
    sound = np.ones(len(points.at), bool)
    for one in attributes:
        sound &= (one.at >= 0) & (one.at < len(one.values))
    sound &= (
        within_reach(points.values[np.clip(points.at, 0, max(len(points.values) - 1, 0))])
        if len(points.values)
        else False
    )
    owner = np.repeat(np.arange(len(sizes)), sizes)
    good = np.bincount(owner[~sound], minlength=len(sizes)) == 0
    if holes is not None:
        good &= ~holes
    usable = good & (sizes >= 3)
    dropped = int(len(sizes) - usable.sum() - (0 if holes is None else int(holes.sum())))
    triangles, polygon = _cut(starts, sizes, usable, np.asarray(points.values, np.float64), points.at)
    flat = triangles.reshape(-1)
    keys = (
        np.stack([one.at[flat] for one in attributes], axis=1)
        if len(flat)
        else np.zeros((0, len(attributes)), np.int64)
    )
    used, inverse = _unique_rows(keys)
    column = 0

    def next_values(one: Attribute) -> npt.NDArray[np.float32]:
        nonlocal column
        column += 1
        return np.asarray(one.values[used[:, column - 1]], np.float32)

    positions = next_values(points)[:, :3]
    normal = _unit(next_values(normals)) if normals else None
    kept_uvs: list[Floats] = []
    for one in uvs:
        uv = next_values(one)[:, :2].copy()
        uv[:, 1] = 1 - uv[:, 1]
        kept_uvs.append(np.nan_to_num(uv))
    tint = None
    if colors is not None:
        rgb = np.nan_to_num(next_values(colors))
        tint = (
            rgb
            if rgb.shape[1] == 4
            else np.concatenate([rgb[:, :3], np.ones((len(rgb), 1), np.float32)], axis=1)
        )
    indices: Indices = inverse.reshape(-1, 3).astype(np.uint32)
    return Triangulated(
        Primitive(
            np.ascontiguousarray(positions), indices, normal, None, tuple(kept_uvs), tint, material=material
        ),
        polygon,
        used[:, 0],
        dropped,
    )


def _unique_rows(keys: Integers) -> tuple[Integers, Integers]:
    """Distinct rows and the inverse, by packing small indices into one integer where they fit."""
    if not len(keys):
        return keys, np.zeros(0, np.int64)
    spans = keys.max(axis=0) + 1
    if float(np.prod(spans.astype(np.float64))) < 2**62:
        code = np.zeros(len(keys), np.int64)
        for column, span in enumerate(spans):
            code = code * span + keys[:, column]
        _, first, inverse = np.unique(code, return_index=True, return_inverse=True)
        return keys[first], inverse.reshape(-1)
    rows, inverse = np.unique(keys, axis=0, return_inverse=True)
    return rows, inverse.reshape(-1)


def _unit(vectors: Floats) -> Floats:
    length = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.where(
        np.isfinite(length) & (length > 0),
        np.nan_to_num(vectors) / np.maximum(np.nan_to_num(length), 1e-20),
        [[0, 1, 0]],
    ).astype(np.float32)


def _cut(
    starts: Integers,
    sizes: Integers,
    usable: npt.NDArray[np.bool_],
    points: npt.NDArray[np.float64],
    at: Integers,
) -> tuple[Integers, Integers]:
    """Corner triples (M, 3) and their polygon (M,), in polygon order."""
    rows: list[Integers] = []
    owners: list[Integers] = []

    def add(first: Integers, offsets: Sequence[int], owner: Integers) -> None:
        rows.append(np.stack([first + offset for offset in offsets], axis=1))
        owners.append(owner)

    plain = np.flatnonzero(usable & (sizes == 3))
    add(starts[plain], (0, 1, 2), plain)
    quads = np.flatnonzero(usable & (sizes == 4))
    if len(quads):
        corners = points[at[starts[quads][:, None] + np.arange(4)], :3]
        folded = _folds(corners, (0, 1, 2), (0, 2, 3)) & ~_folds(corners, (1, 2, 3), (1, 3, 0))
        straight, other = quads[~folded], quads[folded]
        add(starts[straight], (0, 1, 2), straight)
        add(starts[straight], (0, 2, 3), straight)
        add(starts[other], (1, 2, 3), other)
        add(starts[other], (1, 3, 0), other)
    for number in np.flatnonzero(usable & (sizes > 4)):
        start, size = int(starts[number]), int(sizes[number])
        for triple in cut_polygon(points[at[start : start + size], :3]):
            rows.append(np.array([[start + k for k in triple]], np.int64))
            owners.append(np.array([number], np.int64))
    triangles, owner = np.concatenate(rows), np.concatenate(owners)
    order = np.argsort(owner, kind="stable")
    return triangles[order], owner[order]


def _folds(
    corners: npt.NDArray[np.float64], first: tuple[int, int, int], second: tuple[int, int, int]
) -> npt.NDArray[np.bool_]:
    """Whether two triangles of each (Q, 4, 3) quad look in opposite directions."""
    a, b = (
        np.cross(corners[:, t[1]] - corners[:, t[0]], corners[:, t[2]] - corners[:, t[0]])
        for t in (first, second)
    )
    return np.asarray((a * b).sum(axis=1) < 0)
