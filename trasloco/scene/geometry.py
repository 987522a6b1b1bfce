"""Geometry maths on plain arrays: normals, tangents, pieces, bounds."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit
from trasloco.scene.model import Doubles, Floats, Indices, Primitive, Scene
from trasloco.scene.welding import pieces_of, same_points


def face_vectors(positions: npt.NDArray[Any], indices: Indices) -> Doubles:
    """Twice-area normals, (M, 3), right-hand rule."""
    a, b, c = (np.asarray(positions, np.float64)[indices[:, k]] for k in range(3))
    return np.cross(b - a, c - a)


def _gathered(index: npt.NDArray[Any], values: npt.NDArray[Any], count: int) -> Doubles:
    """Sums of (M, 3) values by their index, (count, 3)."""
    return np.stack(
        [np.bincount(index, weights=values[:, c], minlength=count) for c in range(values.shape[1])], axis=1
    )


def smooth_normals(positions: npt.NDArray[Any], indices: Indices) -> Floats:
    """Area-weighted vertex normals, (N, 3), unit; vertices at equal positions share theirs."""
    vectors = face_vectors(positions, indices)
    _, same = np.unique(np.asarray(positions, np.float32).round(6), axis=0, return_inverse=True)
    same = same.reshape(-1)
    count = int(same.max(initial=-1)) + 1
    total = sum(
        (_gathered(same[indices[:, corner]], vectors, count) for corner in range(3)), np.zeros((count, 3))
    )
    normals = total[same]
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    return np.where(length > 0, normals / np.maximum(length, 1e-30), [0.0, 1.0, 0.0]).astype(np.float32)


def flat_normals(positions: npt.NDArray[Any], indices: Indices) -> Floats:
    """Normals (N, 3) of faces, unit, at vertices that no two triangles share."""
    vectors = face_vectors(positions, indices)
    length = np.linalg.norm(vectors, axis=1, keepdims=True)
    found = np.zeros((len(positions), 3), np.float32)
    found[indices.reshape(-1)] = np.repeat(
        np.where(length > 0, vectors / np.maximum(length, 1e-30), [0.0, 1.0, 0.0]), 3, axis=0
    )
    return found


def flat_primitive(primitive: Primitive) -> tuple[Floats, Indices]:
    """Positions and indices with no vertex shared between triangles, for flat normals (glTF 2.0, 3.7.2.1)."""
    return primitive.positions[primitive.indices.reshape(-1)], np.arange(
        primitive.indices.size, dtype=np.uint32
    ).reshape(-1, 3)


def apart_by_handedness(uvs: npt.NDArray[Any], indices: Indices) -> tuple[npt.NDArray[np.int64], Indices]:
    """Vertices with those copied that triangles of mirrored and unmirrored UVs share: which old one each is,
    and indices over the new ones.

    A tangent frame has one handedness, so that a vertex on a mirror seam needs two (MikkTSpace splits its
    groups there).
    """
    uv = np.asarray(uvs, np.float64)
    d1, d2 = uv[indices[:, 1]] - uv[indices[:, 0]], uv[indices[:, 2]] - uv[indices[:, 0]]
    mirrored = d1[:, 0] * d2[:, 1] - d2[:, 0] * d1[:, 1] > 0
    plain = np.zeros(len(uv), bool)
    plain[indices[~mirrored]] = True
    shared = np.zeros(len(uv), bool)
    shared[indices[mirrored]] = True
    shared &= plain
    kept = np.arange(len(uv))
    if not shared.any():
        return kept, indices
    copies = np.flatnonzero(shared)
    renamed = kept.copy()
    renamed[copies] = len(uv) + np.arange(len(copies))
    made = np.where(mirrored[:, None], renamed[indices], indices).astype(np.uint32)
    return np.concatenate([kept, copies]), made


def pieces(positions: npt.NDArray[Any], indices: Indices) -> npt.NDArray[np.int32]:
    """Number of the connected piece of every face, (M,); vertices at equal positions count as one."""
    if len(indices) == 0:
        return np.zeros(0, np.int32)
    same, count = same_points(np.asarray(positions, np.float32))
    return pieces_of(same[indices], count)


def transform_points(matrix: Doubles, points: npt.NDArray[Any]) -> Doubles:
    """(N, 3) points through a (4, 4) matrix."""
    return np.asarray(points, np.float64) @ matrix[:3, :3].T + matrix[:3, 3]


def transform_normals(matrix: Doubles, normals: npt.NDArray[Any]) -> Doubles:
    """(N, 3) unit normals through the inverse transpose of a (4, 4) matrix."""
    linear = matrix[:3, :3]
    cofactor = np.array(
        [np.cross(linear[1], linear[2]), np.cross(linear[2], linear[0]), np.cross(linear[0], linear[1])]
    )
    turned = np.asarray(normals, np.float64) @ cofactor.T
    return np.asarray(turned / np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-30))


def moved_primitive(primitive: Primitive, matrix: Doubles) -> Primitive:
    """A primitive with its points and normals transformed; a mirroring matrix turns the faces to keep them
    looking out.
    """
    normals = (
        transform_normals(matrix, primitive.normals).astype(np.float32)
        if primitive.normals is not None
        else None
    )
    indices = primitive.indices
    if np.linalg.det(matrix[:3, :3]) < 0:
        indices = np.ascontiguousarray(indices[:, ::-1])
        normals = -normals if normals is not None else None
    return replace(
        primitive,
        positions=transform_points(matrix, primitive.positions).astype(np.float32),
        normals=normals,
        indices=indices,
        tangents=None,
    )


def triangle_count(scene: Scene) -> int:
    """Triangles over all parts, instances counted each time."""
    return sum(len(p.indices) for part in scene.parts() for p in scene.meshes[part.mesh or ""].primitives)


def draw_count(scene: Scene) -> int:
    """Draw calls of all parts where nothing is batched: one for each slot with faces, instances counted each
    time.
    """
    return sum(
        1 for part in scene.parts() for p in scene.meshes[part.mesh or ""].primitives if len(p.indices)
    )


def taken(
    primitive: Primitive, origin: npt.NDArray[np.integer], indices: npt.NDArray[np.uint32]
) -> Primitive:
    """A primitive whose vertices are copies of old ones: ``origin`` (N,) names them, ``indices`` (M, 3) count
    over the new ones.
    """

    def take(values: npt.NDArray[np.generic] | None) -> npt.NDArray[np.generic] | None:
        return None if values is None else values[origin]

    morphs = tuple(replace(m, positions=take(m.positions), normals=take(m.normals)) for m in primitive.morphs)  # type: ignore[arg-type]
    return replace(
        primitive,
        positions=primitive.positions[origin],
        indices=np.ascontiguousarray(indices, np.uint32),
        normals=take(primitive.normals),  # type: ignore[arg-type]
        tangents=take(primitive.tangents),  # type: ignore[arg-type]
        uvs=tuple(uv[origin] for uv in primitive.uvs),
        colors=take(primitive.colors),  # type: ignore[arg-type]
        joints=take(primitive.joints),  # type: ignore[arg-type]
        weights=take(primitive.weights),  # type: ignore[arg-type]
        morphs=morphs,  # type: ignore[arg-type]
    )


def spread_points(
    positions: npt.NDArray[Any], indices: Indices, count: int, rng: np.random.Generator
) -> tuple[npt.NDArray[np.int64], Doubles] | None:
    """Points spread over faces by area: the face of each (count,) and its weights of that face's corners
    (count, 3). None without area.
    """
    area = np.linalg.norm(face_vectors(positions, indices), axis=1)
    if not area.sum() > 0:
        return None
    return rng.choice(len(area), count, p=area / area.sum()), rng.dirichlet((1, 1, 1), count)


def blended(values: npt.NDArray[Any], corners: Indices, weights: Doubles) -> Doubles:
    """Vertex values (N, C) at points given by their faces' corners (P, 3) and weights (P, 3); (P, C)."""
    held = np.ascontiguousarray(values)
    out = np.empty((len(corners), *held.shape[1:]))
    _blend(held, np.ascontiguousarray(corners), np.ascontiguousarray(weights), out)
    return out


@njit(nogil=True)
def _blend(values: Any, corners: Any, weights: Any, out: Any) -> None:
    for p in range(len(corners)):
        i, j, k = corners[p, 0], corners[p, 1], corners[p, 2]
        for c in range(values.shape[1]):
            out[p, c] = (
                weights[p, 0] * values[i, c] + weights[p, 1] * values[j, c] + weights[p, 2] * values[k, c]
            )


def joined_mesh(primitives: Iterable[Primitive]) -> tuple[Floats, npt.NDArray[np.int64]]:
    """Positions (N, 3) and indices (M, 3) of primitives in one."""
    clouds, faces, start = [np.zeros((0, 3), np.float32)], [np.zeros((0, 3), np.int64)], 0
    for p in primitives:
        clouds.append(p.positions)
        faces.append(p.indices.astype(np.int64) + start)
        start += len(p.positions)
    return np.concatenate(clouds), np.concatenate(faces)


def with_uv_set(primitive: Primitive, number: int, uv: npt.NDArray[Any]) -> Primitive:
    """A primitive with UVs (N, 2) as the set of that number; sets that are missing before it are zero."""
    sets = [
        *primitive.uvs,
        *(
            np.zeros((len(primitive.positions), 2), np.float32)
            for _ in range(number + 1 - len(primitive.uvs))
        ),
    ]
    sets[number] = uv.astype(np.float32)
    return replace(primitive, uvs=tuple(sets))
