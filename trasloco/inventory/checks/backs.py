"""Sheets that are seen from behind where only fronts are drawn."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from trasloco.inventory.context import Context
from trasloco.inventory.facing import sample_faces
from trasloco.inventory.marking import marked_faces, names_of
from trasloco.inventory.world import WorldTriangles
from trasloco.rays.nearest import nearest
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.model import Decision


def seen_from_behind(context: Context) -> Iterator[Finding]:
    """Sheets whose backs are seen from the scene's cameras (or, without any, from eight places around it),
    worn by a one-sided material.
    """
    if context.destination.materials.two_sided == "always" or not len(context.world.triangles):
        return
    world, scene = context.world, context.scene
    seen, mostly = backs_seen(world, _eyes(context))
    materials: dict[str, set[str]] = {}
    marked: dict[str, dict[str, npt.NDArray[np.int64]]] = {}
    for number, id in enumerate(world.part_ids):
        start = int(world.first_face[number])
        for primitive in scene.meshes[scene.nodes[id].mesh or ""].primitives:
            count = len(primitive.indices)
            local = (
                np.flatnonzero(seen[world.piece[start : start + count]]) if count else np.zeros(0, np.int64)
            )
            material = scene.materials.get(primitive.material or "")
            if len(local) and material is not None and not material.double_sided and material.back is None:
                materials.setdefault(material.id, set()).add(id)
                held = marked.setdefault(material.id, {})
                held[id] = np.concatenate(
                    [held.get(id, np.zeros(0, np.int64)), local + start - int(world.first_face[number])]
                )
            start += count
    if not any(node.camera for node in scene.nodes.values()):
        yield from _seen_from_around(context, materials, marked)
        return
    for material_id, parts in materials.items():
        ids = sorted(parts)
        where = f"{names_of(scene, ids)} · {scene.materials[material_id].name}"
        turn = tuple(
            Decision(part, "turn_faces", turned)
            for part in ids
            if (turned := _turned(world, mostly, part, marked[material_id][part]))
        )
        mends = (
            Mend("Draw both sides", (Decision(material_id, "double_sided", True),)),
            *((Mend("Turn them round", turn),) if turn else ()),
        )
        yield Finding(
            f"seen_from_behind:{material_id}",
            "seen_from_behind",
            "A sheet is seen from behind",
            where,
            f"It has no thickness and its material is drawn on one side: from the camera there is nothing. {_ONE_SIDED}",
            (material_id, *ids),
            58,
            marked_faces(marked[material_id]),
            mends,
        )


def _turned(
    world: WorldTriangles, mostly: npt.NDArray[np.bool_], part: str, faces: npt.NDArray[np.int64]
) -> list[int]:
    """Which of a part's pieces, by its own numbers, the cameras see from behind more than from the front."""
    start, first = int(world.first_face[world.part_ids.index(part)]), world.first_piece[part]
    return [int(piece) - first for piece in np.unique(world.piece[faces + start]) if mostly[piece]]


_ONE_SIDED = "Both sides cost a little more to draw."


def _seen_from_around(
    context: Context, materials: dict[str, set[str]], marked: dict[str, dict[str, npt.NDArray[np.int64]]]
) -> Iterator[Finding]:
    """One finding for all: without a camera nobody knows from where the scene will be looked at."""
    if not materials:
        return
    ids = sorted({part for parts in materials.values() for part in parts})
    together = {
        part: np.concatenate([held[part] for held in marked.values() if part in held]) for part in ids
    }
    mends = (
        Mend("Draw both sides", tuple(Decision(material, "double_sided", True) for material in materials)),
    )
    yield Finding(
        "seen_from_behind:scene",
        "seen_from_behind",
        "Sheets are seen from behind",
        f"{names_of(context.scene, ids)} · {len(materials)} materials",
        "They have no thickness and are drawn on one side. Walking around the scene, there is nothing from some sides.",
        (*ids, *materials),
        33,
        marked_faces(together),
        mends,
    )


def _eyes(context: Context) -> npt.NDArray[np.float64]:
    """(E, 3) places to look from."""
    scene = context.scene
    world = scene.world_matrices()
    cameras = [world[node.id][:3, 3] for node in scene.nodes.values() if node.camera]
    if cameras:
        return np.array(cameras[:8])
    box = context.box
    assert box is not None  # there are triangles
    middle, size = (box[0] + box[1]) / 2, float((box[1] - box[0]).max())
    angle = np.arange(8) / 8 * 2 * np.pi
    return np.asarray(
        middle + 1.5 * size * np.stack([np.cos(angle), np.full(8, 0.1), np.sin(angle)], axis=1), np.float64
    )


def backs_seen(
    world: WorldTriangles, eyes: npt.NDArray[np.float64]
) -> tuple[npt.NDArray[np.bool_], npt.NDArray[np.bool_]]:
    """(pieces,) whether an open piece shows its back to any eye in more than a tenth of what that eye sees of
    it, the front being meant for others; and whether in more than half.
    """
    count = int(world.piece.max(initial=-1)) + 1
    if not count:
        return np.zeros(0, bool), np.zeros(0, bool)
    rng = np.random.default_rng(11)
    chosen = sample_faces(world, count, max(2, min(16, 200_000 // count)), rng)
    corners = world.positions[world.triangles[chosen]].astype(np.float64)
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-30)
    points = corners[:, 0] * 0.415 + corners[:, 1] * 0.339 + corners[:, 2] * 0.246
    back, front = np.zeros(count), np.zeros(count)
    for eye in eyes:
        toward = points - eye
        far = np.linalg.norm(toward, axis=1)
        direction = toward / np.maximum(far, 1e-12)[:, None]
        hit, distance = nearest(
            world.rays, np.broadcast_to(eye, points.shape).astype(np.float32), direction.astype(np.float32)
        )
        visible = (
            (hit >= 0)
            & (world.piece[np.maximum(hit, 0)] == world.piece[chosen])
            & (distance > far * (1 - 1e-4))
        )
        behind = (direction * normals).sum(axis=1) > 0.05
        back += np.bincount(world.piece[chosen], weights=visible & behind, minlength=count)
        front += np.bincount(world.piece[chosen], weights=visible & ~behind, minlength=count)
    seen = (back >= 2) & (back > 0.1 * (back + front))
    return np.asarray(seen), np.asarray(seen & (back > front))
