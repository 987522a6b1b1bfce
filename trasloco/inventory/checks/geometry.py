"""Faces that look away, transforms that were never applied."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from trasloco.inventory.context import Context
from trasloco.scene.findings import Evidence, Finding, Mend
from trasloco.scene.model import Decision


def faces_away(context: Context) -> Iterator[Finding]:
    world = context.world
    facing = context.facing
    away = facing.away
    if not away.any():
        return
    draws_backs = context.destination.materials.two_sided == "always"
    for number, id in enumerate(world.part_ids):
        own = np.unique(world.piece[world.faces_of(number)])
        turned = [int(p) for p in own if away[p]]
        if not turned:
            continue
        faces = int(facing.faces[turned].sum())
        total = int(facing.faces[own].sum())
        first = world.first_piece[id]
        name = context.scene.nodes[id].name
        consequence = "The audience sees their backs. " + (
            "Both sides are drawn there, but light and thickness go wrong."
            if draws_backs
            else "A destination that draws one side shows a hole."
        )
        evidence: Evidence = {
            "pieces": [p - first for p in turned],
            "face_count": faces,
            "seen_from_front": round(float(facing.front[turned].mean()), 2),
            "seen_from_back": round(float(facing.back[turned].mean()), 2),
        }
        yield Finding(
            f"faces_away:{id}",
            "faces_away",
            "Faces look away",
            f"{name} · {faces} of {total} faces",
            consequence,
            (id,),
            70 if draws_backs else 90,
            evidence,
            (
                Mend(f"Turn {faces} faces", (Decision(id, "turn_faces", [p - first for p in turned]),)),
                *_both_sides(context, id),
            ),
        )


def _both_sides(context: Context, part: str) -> tuple[Mend, ...]:
    """The other way out, where the destination can draw backs and a material of the part does not yet."""
    scene = context.scene
    worn = dict.fromkeys(
        p.material
        for p in scene.meshes[scene.nodes[part].mesh or ""].primitives
        if p.material in scene.materials
    )
    one_sided = [m for m in worn if m is not None and not scene.materials[m].double_sided]
    if context.destination.materials.two_sided != "flag" or not one_sided:
        return ()
    return (Mend("Draw both sides", tuple(Decision(m, "double_sided", True) for m in one_sided)),)


def transforms(context: Context) -> Iterator[Finding]:
    """Mirrored, sheared or unevenly scaled transforms of parts, judged in the world."""
    parts, world = context.scene.parts(), context.scene.world_matrices()
    if not parts:
        return
    linear = np.array([world[part.id][:3, :3] for part in parts])
    scale = np.linalg.norm(linear, axis=1)
    unit = linear / np.maximum(scale, 1e-30)[:, None]
    turned = np.linalg.det(linear) < 0
    sheared = np.abs(np.einsum("nji,njk->nik", unit, unit) - np.eye(3)).max(axis=(1, 2)) > 1e-3
    stretched = scale.max(axis=1) > scale.min(axis=1) * 1.001
    mirrored = [parts[k].id for k in np.flatnonzero(turned)]
    uneven = [parts[k].id for k in np.flatnonzero(~turned & (sheared | stretched))]
    for kind, ids, title, consequence in (
        (
            "mirrored",
            mirrored,
            "Mirrored transform",
            "Importers that ignore the sign turn these faces inside out.",
        ),
        (
            "uneven",
            uneven,
            "Transform not applied",
            "Scale differs by axis or is sheared; normals and sizes shift where it is flattened.",
        ),
    ):
        if ids:
            names = ", ".join(context.scene.nodes[id].name for id in ids[:3]) + (
                f" and {len(ids) - 3} more" if len(ids) > 3 else ""
            )
            yield Finding(
                f"{kind}:transforms",
                kind,
                title,
                f"{names} · {len(ids)} parts",
                consequence,
                tuple(ids),
                35,
                {"parts": len(ids)},
                (Mend("Apply transforms", tuple(Decision(id, "apply_transform", True) for id in ids)),),
            )
