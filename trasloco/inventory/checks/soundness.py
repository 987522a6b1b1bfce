"""Faces that are no good in themselves: neighbours that disagree, no area, lying on each other."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
import numpy.typing as npt

from trasloco.inventory.context import Context
from trasloco.inventory.marking import face_offsets, faces_finding, marked_faces
from trasloco.inventory.world import WorldTriangles
from trasloco.mends.winding import faces_to_turn
from trasloco.meshes.topology import Edges, without_area
from trasloco.rays.nearest import nearest
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.model import Decision

_MOST_RAYS, _AT_ONCE = 1_500_000, 100_000


def mixed_winding(context: Context, mesh: str, edges: Sequence[Edges]) -> Iterator[Finding]:
    """Neighbouring faces of one piece that look to opposite sides."""
    scene = context.scene
    starts = face_offsets(scene, mesh)
    wrong: list[npt.NDArray[np.int64]] = []
    for k, own in enumerate(edges):
        if ((own.uses == 2) & (own.balance != 0)).any():
            wrong.append(np.flatnonzero(faces_to_turn(scene.meshes[mesh].primitives[k], own)) + starts[k])
    numbers = np.concatenate(wrong) if wrong else np.zeros(0, np.int64)
    if not len(numbers):
        return
    consequence = (
        "Some show their backs between others that do not: a destination that draws one side shows gaps."
    )
    yield faces_finding(
        scene,
        mesh,
        context.users[mesh],
        numbers,
        "mixed_winding",
        "Neighbouring faces disagree",
        consequence,
        75,
        (f"Turn {len(numbers)} faces", "unify_faces", True),
    )


def degenerate_faces(context: Context, mesh: str, edges: Sequence[Edges]) -> Iterator[Finding]:
    """Faces without area: two corners at one place, or all three on a line."""
    scene = context.scene
    starts = face_offsets(scene, mesh)
    flat = [np.flatnonzero(without_area(own)) + starts[k] for k, own in enumerate(edges)]
    numbers = np.concatenate(flat) if flat else np.zeros(0, np.int64)
    if len(numbers):
        yield faces_finding(
            scene,
            mesh,
            context.users[mesh],
            numbers,
            "degenerate",
            "Faces without area",
            "They cannot be seen, but spoil normals, bakes and collision there.",
            22,
            ("Drop them", "drop_degenerate", True),
        )


def overlapping_faces(context: Context) -> Iterator[Finding]:
    """Faces that lie on each other: a ray from just above a face meets another, parallel one at the same
    depth.
    """
    world = context.world
    total = len(world.triangles)
    if not total:
        return
    chosen = (
        np.arange(total)
        if total <= _MOST_RAYS
        else np.sort(np.random.default_rng(3).choice(total, _MOST_RAYS, replace=False))
    )
    lift = 2e-5 * max(float(np.ptp(world.positions, axis=0).max()), 1e-9)
    found = [_lying_on(world, part, lift) for part in np.array_split(chosen, max(len(chosen) // _AT_ONCE, 1))]
    mine, met = (np.concatenate([pair[k] for pair in found]) for k in range(2))
    yield from _told_overlaps(context, mine, met)


def _lying_on(
    world: WorldTriangles, chosen: npt.NDArray[np.int64], lift: float
) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """Of some faces those that lie on another that looks the same way, and that other, by rays from ``lift``
    metres above.
    """
    corners = world.positions[world.triangles[chosen]]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(normals, axis=1)
    sound = length > (lift * 4) ** 2
    chosen, corners, normals = chosen[sound], corners[sound], normals[sound] / length[sound, None]
    # Off the centre and off every line of symmetry, so that a ray does not run down the edge of the face
    # below.
    points = corners[:, 0] * 0.415 + corners[:, 1] * 0.339 + corners[:, 2] * 0.246
    hit, distance = nearest(
        world.rays, (points + normals * lift).astype(np.float32), (-normals).astype(np.float32)
    )
    near = (hit >= 0) & (hit != chosen) & (np.abs(distance - lift) < 0.5 * lift)
    other = world.positions[world.triangles[hit[near]]]
    across = np.cross(other[:, 1] - other[:, 0], other[:, 2] - other[:, 0])
    across /= np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-30)
    # Faces that lie on each other back to back are seen one at a time: only those that look the same way
    # fight.
    parallel = (across * normals[near]).sum(axis=1) > 0.999
    return chosen[near][parallel], hit[near][parallel]


def _told_overlaps(
    context: Context, mine: npt.NDArray[np.int64], met: npt.NDArray[np.int64]
) -> Iterator[Finding]:
    world, scene = context.world, context.scene
    groups: dict[tuple[int, int], tuple[list[int], list[int]]] = {}
    for face, other, a, b in zip(
        mine.tolist(), met.tolist(), world.part_of(mine).tolist(), world.part_of(met).tolist(), strict=True
    ):
        held = groups.setdefault((min(a, b), max(a, b)), ([], []))
        held[0 if a <= b else 1].append(face)
        held[1 if a <= b else 0].append(other)
    for (a, b), (first, second) in groups.items():
        counts = [len(world.triangles[world.faces_of(part)]) for part in (a, b)]
        if a != b and counts[0] == counts[1] and len(first) > 0.02 * counts[0]:
            continue  # the same part twice, which another check tells
        own = {world.part_ids[a]: np.unique(first) - int(world.first_face[a])} | (
            {world.part_ids[b]: np.unique(second) - int(world.first_face[b])} if a != b else {}
        )
        if a == b:
            own = {world.part_ids[a]: np.unique([*first, *second]) - int(world.first_face[a])}
        names = (
            scene.nodes[world.part_ids[a]].name
            if a == b
            else f"{scene.nodes[world.part_ids[a]].name}, {scene.nodes[world.part_ids[b]].name}"
        )
        faces = sum(len(v) for v in own.values())
        mends = (
            (Mend("Drop the doubles", (Decision(world.part_ids[a], "drop_doubles", True),)),)
            if a == b
            else ()
        )
        yield Finding(
            f"overlap:{world.part_ids[a]}:{world.part_ids[b]}",
            "overlap",
            "Faces lie on each other",
            f"{names} · {faces} faces",
            "Which of them is seen changes with every view: they flicker.",
            tuple(own),
            55,
            marked_faces(own),
            mends,
        )
