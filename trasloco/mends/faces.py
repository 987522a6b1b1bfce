"""Mends of faces, points, normals and UVs. Each is ``(scene, part, value) -> scene``."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.mends.own_meshes import each_primitive, mesh_of_own, picked, with_mesh
from trasloco.mends.winding import faces_to_turn
from trasloco.meshes.topology import edges_of, welded_indices, without_area
from trasloco.scene.charts import chart
from trasloco.scene.geometry import face_vectors, pieces, taken, transform_points, with_uv_set
from trasloco.scene.model import Primitive, Scene

_UV_SIDE, _UV_PADDING = 1024, 4


def turned(primitive: Primitive, turn: npt.NDArray[np.bool_]) -> Primitive:
    """A primitive with some faces (M,) turned round; a vertex that turned and unturned faces share is
    doubled, so that both keep their normals.
    """
    indices = primitive.indices.copy()
    indices[turn] = indices[turn][:, ::-1]
    if primitive.normals is None:
        return replace(primitive, indices=indices, tangents=None)
    inside, outside = np.unique(primitive.indices[turn]), np.unique(primitive.indices[~turn])
    shared = np.intersect1d(inside, outside)
    made = primitive
    if len(shared):
        fresh = np.full(len(primitive.positions), -1, np.int64)
        fresh[shared] = np.arange(len(shared)) + len(primitive.positions)
        moved = fresh[indices[turn]]
        indices[turn] = np.where(moved >= 0, moved, indices[turn]).astype(np.uint32)
        made = taken(primitive, np.concatenate([np.arange(len(primitive.positions)), shared]), indices)
    assert made.normals is not None
    normals = made.normals.copy()
    touched = np.unique(indices[turn])
    normals[touched] = -normals[touched]
    return replace(made, indices=indices, normals=normals, tangents=None)


def turn_faces(scene: Scene, target: str, value: Any) -> Scene:
    """Turn faces round.

    ``value`` lists piece numbers of the part in order over its primitives, or is true for all.
    """
    scene, mesh = mesh_of_own(scene, target)
    if mesh is None or not value:
        return scene
    wanted = None if value is True else np.array([int(v) for v in value])
    start = 0
    primitives: list[Primitive] = []
    for primitive in mesh.primitives:
        own = pieces(primitive.positions, primitive.indices)
        turn = np.ones(len(own), bool) if wanted is None else np.isin(own + start, wanted)
        start += int(own.max(initial=-1)) + 1
        primitives.append(turned(primitive, turn) if turn.any() else primitive)
    return with_mesh(scene, replace(mesh, primitives=tuple(primitives)))


def turn_picked(scene: Scene, target: str, value: Any) -> Scene:
    """Some faces of a part turned round, by their numbers over its primitives; what is listed twice stays."""
    scene, mesh = mesh_of_own(scene, target)
    if mesh is None or not value:
        return scene
    numbers, times = np.unique(np.array([int(v) for v in value]), return_counts=True)
    wanted = numbers[times % 2 == 1]
    start = 0
    primitives: list[Primitive] = []
    for primitive in mesh.primitives:
        turn = np.isin(np.arange(start, start + len(primitive.indices)), wanted)
        start += len(primitive.indices)
        primitives.append(turned(primitive, turn) if turn.any() else primitive)
    return with_mesh(scene, replace(mesh, primitives=tuple(primitives)))


def unify_faces(scene: Scene, target: str, value: Any) -> Scene:
    """Make neighbouring faces of each piece look to one side: its outside, see :mod:`trasloco.mends.winding`."""
    if value is not True:
        return scene

    def change(primitive: Primitive) -> Primitive:
        turn = faces_to_turn(primitive, edges_of(primitive))
        return turned(primitive, turn) if turn.any() else primitive

    return each_primitive(scene, target, change)


def drop_degenerate(scene: Scene, target: str, value: Any) -> Scene:
    """Take out faces without area."""
    if value is not True:
        return scene

    def change(primitive: Primitive) -> Primitive:
        good = ~without_area(edges_of(primitive))
        return primitive if good.all() else picked(primitive, good)

    return each_primitive(scene, target, change)


def drop_doubles(scene: Scene, target: str, value: Any) -> Scene:
    """Keep one of several faces with the same three corners, the first."""
    if value is not True:
        return scene
    scene, mesh = mesh_of_own(scene, target)
    if mesh is None:
        return scene
    seen: set[bytes] = set()
    primitives: list[Primitive] = []
    for primitive in mesh.primitives:
        corners = np.round(primitive.positions[primitive.indices].astype(np.float64), 6)
        order = (
            np.lexsort((corners[..., 2], corners[..., 1], corners[..., 0]), axis=1)
            if len(corners)
            else np.zeros((0, 3), np.int64)
        )
        keys = np.take_along_axis(corners, order[..., None], axis=1).reshape(len(corners), -1)
        keep = np.zeros(len(keys), bool)
        for k, key in enumerate(keys):
            packed = key.tobytes()
            keep[k] = packed not in seen
            seen.add(packed)
        primitives.append(primitive if keep.all() else picked(primitive, keep))
    return with_mesh(scene, replace(mesh, primitives=tuple(primitives)))


def weld(scene: Scene, target: str, value: Any) -> Scene:
    """Join vertices of equal normal, UVs and colour that lie within ``value`` metres of each other; faces
    that vanish are dropped.
    """
    distance = float(value)
    if distance < 0:
        return scene

    def change(primitive: Primitive) -> Primitive:
        cell = max(distance, 1e-9)
        rows = [np.round(primitive.positions.astype(np.float64) / cell).astype(np.int64)]
        rows += [
            np.round(v.astype(np.float64) * 1024).astype(np.int64)
            for v in (primitive.normals, *primitive.uvs, primitive.colors)
            if v is not None
        ]
        _, first, same = np.unique(
            np.concatenate(rows, axis=1), axis=0, return_index=True, return_inverse=True
        )
        indices = same.reshape(-1)[primitive.indices]
        alive = (
            (indices[:, 0] != indices[:, 1])
            & (indices[:, 1] != indices[:, 2])
            & (indices[:, 0] != indices[:, 2])
        )
        return taken(primitive, first, indices[alive].astype(np.uint32))

    return each_primitive(scene, target, change)


def normals_angle(scene: Scene, target: str, value: Any) -> Scene:
    """Normals made anew: smooth where neighbours meet at less than ``value`` degrees, hard elsewhere;
    weighted by corner angle.
    """
    return each_primitive(scene, target, lambda p: with_normals(p, math.radians(float(value))))


def with_normals(primitive: Primitive, hard_rad: float) -> Primitive:
    """Corner normals: at each corner the sum, weighted by corner angle, of the faces at that point that lie
    within the angle of its own face.
    """
    faces = face_vectors(primitive.positions, primitive.indices)
    faces = faces / np.maximum(np.linalg.norm(faces, axis=1, keepdims=True), 1e-30)
    welded = welded_indices(primitive)
    corner_point = welded.reshape(-1)
    p = primitive.positions.astype(np.float64)[primitive.indices]
    weights = np.empty((len(faces), 3))
    for k in range(3):
        u, v = p[:, (k + 1) % 3] - p[:, k], p[:, (k + 2) % 3] - p[:, k]
        cosine = (u * v).sum(axis=1) / np.maximum(
            np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1), 1e-30
        )
        weights[:, k] = np.arccos(np.clip(cosine, -1, 1))
    order = np.argsort(corner_point, kind="stable")
    owner = np.repeat(np.arange(len(faces)), 3)[order]
    weight = weights.reshape(-1)[order]
    starts = (
        np.flatnonzero(np.concatenate([[True], np.diff(corner_point[order]) > 0]))
        if len(order)
        else np.zeros(0, np.int64)
    )
    ends = np.append(starts[1:], len(order))
    made = np.empty((len(order), 3))
    limit = math.cos(hard_rad) - 1e-6
    for start, end in zip(starts, ends, strict=True):
        own = faces[owner[start:end]]
        near = own @ own.T >= limit
        made[start:end] = near @ (own * weight[start:end, None])
    corner_normals = np.empty_like(made)
    corner_normals[order] = made / np.maximum(np.linalg.norm(made, axis=1, keepdims=True), 1e-30)
    keys = np.concatenate(
        [primitive.indices.reshape(-1, 1).astype(np.int64), np.round(corner_normals * 4096).astype(np.int64)],
        axis=1,
    )
    _, first, inverse = np.unique(keys, axis=0, return_index=True, return_inverse=True)
    flat = primitive.indices.reshape(-1)
    result = taken(primitive, flat[first], inverse.reshape(-1, 3).astype(np.uint32))
    return replace(result, normals=corner_normals[first].astype(np.float32), tangents=None)


def drop_tangents(scene: Scene, target: str, value: Any) -> Scene:
    return each_primitive(scene, target, lambda p: replace(p, tangents=None)) if value is True else scene


def near_uvs(scene: Scene, target: str, value: Any) -> Scene:
    """Bring each piece's UVs next to the origin by whole repeats, which changes nothing of what repeats."""

    def change(primitive: Primitive) -> Primitive:
        own = pieces(primitive.positions, primitive.indices)
        made = []
        for uv in primitive.uvs:
            moved = uv.copy()
            for piece in range(int(own.max(initial=-1)) + 1):
                at = np.unique(primitive.indices[own == piece])
                moved[at] -= np.floor(uv[at].min(axis=0))
            made.append(moved)
        return replace(primitive, uvs=tuple(made))

    return each_primitive(scene, target, change) if value is True else scene


def make_uvs(scene: Scene, target: str, value: Any) -> Scene:
    """Charts for a part: in place of its first UV set (``true``) or of the set with the number given;
    vertices are doubled at chart borders.
    """
    if value is False:
        return scene
    number = 0 if value is True else int(value)
    scene, mesh = mesh_of_own(scene, target)
    if mesh is None:
        return scene
    full = [k for k, p in enumerate(mesh.primitives) if len(p.indices)]
    charted = chart(
        [
            (mesh.primitives[k].positions, mesh.primitives[k].indices, mesh.primitives[k].normals)
            for k in full
        ],
        _UV_SIDE,
        _UV_PADDING,
    )
    primitives = list(mesh.primitives)
    for k, cut in zip(full, charted, strict=True):
        made = taken(primitives[k], cut.origin, cut.indices)
        primitives[k] = replace(
            with_uv_set(made, number, cut.uv), tangents=None if number == 0 else made.tangents
        )
    return with_mesh(scene, replace(mesh, primitives=tuple(primitives)))


def box_uvs(scene: Scene, target: str, value: Any) -> Scene:
    """The first UV set by box projection: each face from the axis it looks along most, one repeat every
    ``value`` metres of the world; vertices are doubled where the axis changes.

    What a projection in the source showed becomes UVs that every destination has, so that colour and relief
    follow one thing.
    """
    node = scene.nodes.get(target)
    if node is None or node.mesh is None:
        return scene
    world = scene.world_matrices()[target]

    def change(p: Primitive) -> Primitive:
        points = transform_points(world, p.positions)
        axis = np.abs(face_vectors(points, p.indices)).argmax(axis=1)
        pairs = np.stack([p.indices.reshape(-1).astype(np.int64), np.repeat(axis, 3)], axis=1)
        unique, inverse = np.unique(pairs, axis=0, return_inverse=True)
        made = taken(p, unique[:, 0], inverse.reshape(-1, 3).astype(np.uint32))
        at, along = points[unique[:, 0]] / float(value), unique[:, 1]
        u = np.where(along == 0, at[:, 2], at[:, 0])
        v = np.where(along == 1, at[:, 2], -at[:, 1])
        return replace(with_uv_set(made, 0, np.stack([u, v], axis=1)), tangents=None)

    return each_primitive(scene, target, change)


def even_weights(scene: Scene, target: str, value: Any) -> Scene:
    """Skin weights scaled to add up to one; joints beyond the skin count nothing."""
    skin = scene.skins.get(scene.nodes[target].skin or "") if target in scene.nodes else None

    def change(primitive: Primitive) -> Primitive:
        if primitive.weights is None or primitive.joints is None:
            return primitive
        known = primitive.joints < (len(skin.joints) if skin else 1)
        weights = np.where(known, np.maximum(np.nan_to_num(primitive.weights), 0), 0)
        total = weights.sum(axis=1, keepdims=True)
        even = np.where(total > 0, weights / np.maximum(total, 1e-12), np.array([1, 0, 0, 0], np.float32))
        return replace(
            primitive,
            weights=even.astype(np.float32),
            joints=np.where(known, primitive.joints, 0).astype(np.uint16),
        )

    return each_primitive(scene, target, change) if value is True else scene


def strip_vertex_color(scene: Scene, target: str, value: Any) -> Scene:
    """``False`` removes a part's vertex colours."""
    return each_primitive(scene, target, lambda p: replace(p, colors=None)) if value is False else scene


def without_slots(scene: Scene, target: str, value: Any) -> Scene:
    """A part without the faces that wear some materials; it stays whole where nothing of it would be left."""
    scene, mesh = mesh_of_own(scene, target)
    if mesh is None:
        return scene
    kept = tuple(p for p in mesh.primitives if p.material not in value)
    return with_mesh(scene, replace(mesh, primitives=kept)) if kept else scene
