"""Faces that are no good in themselves: neighbours that disagree, no area, lying on each other, missing."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from trasloco.inventory.context import Context
from trasloco.inventory.facing import sample_faces
from trasloco.inventory.marking import face_offsets, faces_finding, marked_faces, names_of
from trasloco.inventory.topology import Edges, agreeing, without_area
from trasloco.inventory.world import WorldTriangles
from trasloco.rays.kernels import nearest
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.geometry import pieces
from trasloco.scene.model import Decision

_HOLE_AREA = 0.035
_MOST_RAYS = 1_500_000


def mixed_winding(context: Context) -> Iterator[Finding]:
    """Neighbouring faces of one piece that look to opposite sides."""
    scene = context.scene
    for mesh, found in context.edges.items():
        starts = face_offsets(scene, mesh)
        wrong: list[npt.NDArray[np.int64]] = []
        for k, edges in enumerate(found):
            if ((edges.uses == 2) & (edges.balance != 0)).any():
                wrong.append(np.flatnonzero(agreeing(edges)) + starts[k])
        numbers = np.concatenate(wrong) if wrong else np.zeros(0, np.int64)
        if not len(numbers):
            continue
        consequence = "Some show their backs between others that do not: a destination that draws one side shows gaps."
        yield faces_finding(scene, mesh, context.users[mesh], numbers, "mixed_winding", "Neighbouring faces disagree", consequence, 75, (f"Turn {len(numbers)} faces", "unify_faces", True))


def degenerate_faces(context: Context) -> Iterator[Finding]:
    """Faces without area: two corners at one place, or all three on a line."""
    scene = context.scene
    for mesh, found in context.edges.items():
        starts = face_offsets(scene, mesh)
        flat = [np.flatnonzero(without_area(edges)) + starts[k] for k, edges in enumerate(found)]
        numbers = np.concatenate(flat) if flat else np.zeros(0, np.int64)
        if len(numbers):
            yield faces_finding(scene, mesh, context.users[mesh], numbers, "degenerate", "Faces without area", "They cannot be seen, but spoil normals, bakes and collision there.", 22, ("Drop them", "drop_degenerate", True))


def holes(context: Context) -> Iterator[Finding]:
    """Openings that are small for what they open: a closed thing with faces missing.

    An opening's own area against its piece's is 1 for a flat sheet, 0.5 for half a ball, 0.2 for a box without a lid, 0.1 for a tube five
    times as long as wide; its border's length squared 16, 6.3, 3.2 and 1.3. Below 0.035, or below 0.4, nobody meant it to be open.
    """
    scene = context.scene
    for mesh, found in context.edges.items():
        starts = face_offsets(scene, mesh)
        rims: list[npt.NDArray[np.int64]] = []
        count = 0
        for k, edges in enumerate(found):
            if not edges.boundary.any():
                continue
            rim = np.flatnonzero(edges.boundary)
            p = scene.meshes[mesh].primitives[k]
            label = pieces(p.positions, p.indices)
            groups = np.bincount(label, weights=edges.area_m2), np.bincount(label)
            loop, opening, border = _openings(edges, rim, p.positions, p.indices)
            owner = np.zeros(len(opening), np.int64)
            owner[loop] = label[edges.faces[rim, 0]]
            # Openings of edges a tenth of the usual are pinholes at a pole: nobody sees into them.
            pinhole = border / np.bincount(loop) < 0.1 * float(np.median(edges.length_m))
            holed = ~pinhole & ((opening < _HOLE_AREA * groups[0][owner]) | (border**2 < 0.4 * groups[0][owner])) & (groups[1][owner] >= 8)
            at = edges.faces[rim, 0][holed[loop]]
            if len(at):
                rims.append(np.unique(at) + starts[k])
                count += int(holed.sum())
        numbers = np.concatenate(rims) if rims else np.zeros(0, np.int64)
        if len(numbers):
            parts = context.users[mesh]
            yield Finding(f"holes:{mesh}", "holes", "Faces are missing", f"{names_of(scene, parts)} · {count} opening{'s' if count > 1 else ''}", "One looks into it and sees backs; light leaks through. Only the source can put the faces back.", tuple(parts), 40, marked_faces(dict.fromkeys(parts, numbers)))


def _openings(edges: Edges, rim: npt.NDArray[np.int64], positions: npt.NDArray[Any], indices: npt.NDArray[Any]) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """Which opening each border edge belongs to, and the area (half the sum of cross products round it) and border length of each."""
    count = int(edges.welded.max(initial=0)) + 1
    place = np.zeros((count, 3))
    place[edges.welded.reshape(-1)] = positions[indices.reshape(-1)]
    a, b = edges.ends[rim].T
    _, labels = connected_components(coo_matrix((np.ones(len(a), np.int8), (a, b)), shape=(count, count)), directed=False)
    loop = np.asarray(np.unique(labels[a], return_inverse=True)[1], np.int64)
    total = int(loop.max()) + 1
    # An edge's stored ends are in order of number; its one face says which way round the border runs.
    forward = np.where(edges.balance[rim] > 0, 1.0, -1.0)[:, None]
    middle = np.stack([np.bincount(loop, weights=place[a, c], minlength=total) for c in range(3)], axis=1) / np.bincount(loop, minlength=total)[:, None]
    cross = np.cross(place[a] - middle[loop], place[b] - middle[loop]) * forward
    area = np.linalg.norm([np.bincount(loop, weights=cross[:, c], minlength=total) for c in range(3)], axis=0) / 2
    return loop, np.asarray(area, np.float64), np.asarray(np.bincount(loop, weights=edges.length_m[rim], minlength=total), np.float64)


def overlapping_faces(context: Context) -> Iterator[Finding]:
    """Faces that lie on each other: a ray from just above a face meets another, parallel one at the same depth."""
    world = context.world
    total = len(world.triangles)
    if not total:
        return
    chosen = np.arange(total) if total <= _MOST_RAYS else np.sort(np.random.default_rng(3).choice(total, _MOST_RAYS, replace=False))
    corners = world.positions[world.triangles[chosen]]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(normals, axis=1)
    size = max(float(np.ptp(world.positions, axis=0).max()), 1e-9)
    lift = 2e-5 * size
    sound = length > (lift * 4) ** 2
    chosen, corners, normals = chosen[sound], corners[sound], normals[sound] / length[sound, None]
    # Off the centre and off every line of symmetry, so that a ray does not run down the edge of the face below.
    points = corners[:, 0] * 0.415 + corners[:, 1] * 0.339 + corners[:, 2] * 0.246
    hit, distance = nearest(world.rays, (points + normals * lift).astype(np.float32), (-normals).astype(np.float32))
    near = (hit >= 0) & (hit != chosen) & (np.abs(distance - lift) < 0.5 * lift)
    if not near.any():
        return
    other = world.positions[world.triangles[hit[near]]]
    across = np.cross(other[:, 1] - other[:, 0], other[:, 2] - other[:, 0])
    across /= np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-30)
    # Faces that lie on each other back to back are seen one at a time: only those that look the same way fight.
    parallel = (across * normals[near]).sum(axis=1) > 0.999
    mine, met = chosen[near][parallel], hit[near][parallel]
    yield from _told_overlaps(context, mine, met)


def _told_overlaps(context: Context, mine: npt.NDArray[np.int64], met: npt.NDArray[np.int64]) -> Iterator[Finding]:
    world, scene = context.world, context.scene
    groups: dict[tuple[int, int], tuple[list[int], list[int]]] = {}
    for face, other in zip(mine.tolist(), met.tolist(), strict=True):
        a, b = int(world.part[face]), int(world.part[other])
        held = groups.setdefault((min(a, b), max(a, b)), ([], []))
        held[0 if a <= b else 1].append(face)
        held[1 if a <= b else 0].append(other)
    for (a, b), (first, second) in groups.items():
        counts = [int((world.part == part).sum()) for part in (a, b)]
        if a != b and counts[0] == counts[1] and len(first) > 0.02 * counts[0]:
            continue  # the same part twice, which another check tells
        own = {world.part_ids[a]: np.unique(first) - int(world.first_face[a])} | ({world.part_ids[b]: np.unique(second) - int(world.first_face[b])} if a != b else {})
        if a == b:
            own = {world.part_ids[a]: np.unique([*first, *second]) - int(world.first_face[a])}
        names = scene.nodes[world.part_ids[a]].name if a == b else f"{scene.nodes[world.part_ids[a]].name}, {scene.nodes[world.part_ids[b]].name}"
        faces = sum(len(v) for v in own.values())
        mends = (Mend("Drop the doubles", (Decision(world.part_ids[a], "drop_doubles", True),)),) if a == b else ()
        yield Finding(f"overlap:{world.part_ids[a]}:{world.part_ids[b]}", "overlap", "Faces lie on each other", f"{names} · {faces} faces", "Which of them is seen changes with every view: they flicker.", tuple(own), 55, marked_faces(own), mends)


def seen_from_behind(context: Context) -> Iterator[Finding]:
    """Sheets whose backs are seen from the scene's cameras (or, without any, from eight places around it), worn by a one-sided material."""
    if context.destination.materials.two_sided == "always" or not len(context.world.triangles):
        return
    world, scene = context.world, context.scene
    seen = backs_seen(world, _eyes(context))
    materials: dict[str, set[str]] = {}
    marked: dict[str, dict[str, npt.NDArray[np.int64]]] = {}
    for number, id in enumerate(world.part_ids):
        start = int(world.first_face[number])
        for primitive in scene.meshes[scene.nodes[id].mesh or ""].primitives:
            count = len(primitive.indices)
            local = np.flatnonzero(seen[world.piece[start : start + count]]) if count else np.zeros(0, np.int64)
            material = scene.materials.get(primitive.material or "")
            if len(local) and material is not None and not material.double_sided and material.back is None:
                materials.setdefault(material.id, set()).add(id)
                held = marked.setdefault(material.id, {})
                held[id] = np.concatenate([held.get(id, np.zeros(0, np.int64)), local + start - int(world.first_face[number])])
            start += count
    if not any(node.camera for node in scene.nodes.values()):
        yield from _seen_from_around(context, materials, marked)
        return
    for material_id, parts in materials.items():
        ids = sorted(parts)
        where = f"{names_of(scene, ids)} · {scene.materials[material_id].name}"
        yield Finding(f"seen_from_behind:{material_id}", "seen_from_behind", "A sheet is seen from behind", where, f"It has no thickness and its material is drawn on one side: from the camera there is nothing. {_ONE_SIDED}", (material_id, *ids), 58, marked_faces(marked[material_id]), (Mend("Draw both sides", (Decision(material_id, "double_sided", True),)),))


_ONE_SIDED = "Both sides cost a little more to draw."


def _seen_from_around(context: Context, materials: dict[str, set[str]], marked: dict[str, dict[str, npt.NDArray[np.int64]]]) -> Iterator[Finding]:
    """One finding for all: without a camera nobody knows from where the scene will be looked at."""
    if not materials:
        return
    ids = sorted({part for parts in materials.values() for part in parts})
    together = {part: np.concatenate([held[part] for held in marked.values() if part in held]) for part in ids}
    mends = (Mend("Draw both sides", tuple(Decision(material, "double_sided", True) for material in materials)),)
    yield Finding("seen_from_behind:scene", "seen_from_behind", "Sheets are seen from behind", f"{names_of(context.scene, ids)} · {len(materials)} materials", "They have no thickness and are drawn on one side. Walking around the scene, there is nothing from some sides.", (*ids, *materials), 33, marked_faces(together), mends)


def _eyes(context: Context) -> npt.NDArray[np.float64]:
    """(E, 3) places to look from."""
    scene = context.scene
    world = scene.world_matrices()
    cameras = [world[node.id][:3, 3] for node in scene.nodes.values() if node.camera]
    if cameras:
        return np.array(cameras[:8])
    box = context.world.positions
    middle, size = (box.min(axis=0) + box.max(axis=0)) / 2, float(np.ptp(box, axis=0).max())
    angle = np.arange(8) / 8 * 2 * np.pi
    return np.asarray(middle + 1.5 * size * np.stack([np.cos(angle), np.full(8, 0.1), np.sin(angle)], axis=1), np.float64)


def backs_seen(world: WorldTriangles, eyes: npt.NDArray[np.float64]) -> npt.NDArray[np.bool_]:
    """(pieces,) whether an open piece shows its back to any eye in more than a tenth of what that eye sees of it, the front being meant for others."""
    count = int(world.piece.max(initial=-1)) + 1
    if not count:
        return np.zeros(0, bool)
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
        hit, distance = nearest(world.rays, np.broadcast_to(eye, points.shape).astype(np.float32), direction.astype(np.float32))
        visible = (hit >= 0) & (world.piece[np.maximum(hit, 0)] == world.piece[chosen]) & (distance > far * (1 - 1e-4))
        behind = (direction * normals).sum(axis=1) > 0.05
        back += np.bincount(world.piece[chosen], weights=visible & behind, minlength=count)
        front += np.bincount(world.piece[chosen], weights=visible & ~behind, minlength=count)
    return np.asarray((back >= 2) & (back > 0.1 * (back + front)))
