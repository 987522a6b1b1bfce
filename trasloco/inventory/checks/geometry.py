"""Faces that look away, the same part twice, transforms that were never applied."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

import numpy as np

from trasloco.inventory.context import Context
from trasloco.scene.digest import digest
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.geometry import transform_points
from trasloco.scene.model import Decision


def faces_away(context: Context) -> Iterator[Finding]:
    world = context.world
    facing = context.facing
    away = facing.away
    if not away.any():
        return
    draws_backs = context.destination.materials.two_sided == "always"
    for number, id in enumerate(world.part_ids):
        mine = world.part == number
        own = np.unique(world.piece[mine])
        turned = [int(p) for p in own if away[p]]
        if not turned:
            continue
        faces = int(facing.faces[turned].sum())
        total = int(facing.faces[own].sum())
        first = world.first_piece[id]
        name = context.scene.nodes[id].name
        consequence = "The audience sees their backs. " + ("Both sides are drawn there, but light and thickness go wrong." if draws_backs else "A destination that draws one side shows a hole.")
        evidence = {"pieces": [p - first for p in turned], "faces": faces, "seen_from_front": round(float(facing.front[turned].mean()), 2), "seen_from_back": round(float(facing.back[turned].mean()), 2)}
        yield Finding(f"faces_away:{id}", "faces_away", "Faces look away", f"{name} · {faces} of {total} faces", consequence, (id,), 70 if draws_backs else 90, evidence, (Mend(f"Turn {faces} faces", (Decision(id, "turn_faces", [p - first for p in turned]),)),))


def duplicates(context: Context) -> Iterator[Finding]:
    """Parts of the same shape and materials at nearly the same place. Places are compared in the world, shapes relative to their centre."""
    world = context.scene.world_matrices()
    alike: dict[str, list[tuple[str, np.ndarray, float, int]]] = defaultdict(list)  # type: ignore[type-arg]
    for part in context.scene.parts():
        points = [transform_points(world[part.id], p.positions) for p in context.scene.meshes[part.mesh or ""].primitives if len(p.positions)]
        if not points:
            continue
        cloud = np.concatenate(points)
        low, high = cloud.min(axis=0), cloud.max(axis=0)
        size = float(np.linalg.norm(high - low))
        center = cloud.mean(axis=0)
        # Every 1/2000 of the size: far coarser than rounding, far finer than any intended change of shape.
        shape = np.round((cloud - center) / max(size, 1e-12) * 2000).astype(np.int32)
        materials = [p.material for p in context.scene.meshes[part.mesh or ""].primitives]
        alike[digest(materials, len(cloud), np.bincount(np.abs(shape).sum(axis=1) // 40))].append((part.id, center, size, len(cloud)))
    for group in alike.values():
        for k, (id, center, size, count) in enumerate(group):
            for other, other_center, _, _ in group[:k]:
                apart = float(np.linalg.norm(center - other_center))
                if apart > 0.05 * size:
                    continue
                names = f"{context.scene.nodes[other].name}, {context.scene.nodes[id].name}"
                far = "at the same place" if apart < 1e-6 else f"{apart * 1000:.1f} mm apart"
                consequence = f"Same {count:,} vertices".replace(",", "\u202f") + (". They flicker through each other." if apart < 1e-6 else ". The second is slightly off; both are drawn.")
                yield Finding(f"duplicate:{id}", "duplicate", "The same part twice", f"{names} · {far}", consequence, (id, other), 60, {"apart_m": apart, "vertices": count}, (Mend("Leave out second", (Decision(id, "include", False),)), Mend("Leave out first", (Decision(other, "include", False),))))
                break


def transforms(context: Context) -> Iterator[Finding]:
    """Mirrored, sheared or unevenly scaled transforms of parts, judged in the world."""
    mirrored: list[str] = []
    uneven: list[str] = []
    world = context.scene.world_matrices()
    for part in context.scene.parts():
        linear = world[part.id][:3, :3]
        scale = np.linalg.norm(linear, axis=0)
        if np.linalg.det(linear) < 0:
            mirrored.append(part.id)
            continue
        unit = linear / np.maximum(scale, 1e-30)
        if np.abs(unit.T @ unit - np.eye(3)).max() > 1e-3 or scale.max() > scale.min() * 1.001:
            uneven.append(part.id)
    for kind, ids, title, consequence in (
        ("mirrored", mirrored, "Mirrored transform", "Importers that ignore the sign turn these faces inside out."),
        ("uneven", uneven, "Transform not applied", "Scale differs by axis or is sheared; normals and sizes shift where it is flattened."),
    ):
        if ids:
            names = ", ".join(context.scene.nodes[id].name for id in ids[:3]) + (f" and {len(ids) - 3} more" if len(ids) > 3 else "")
            yield Finding(f"{kind}:transforms", kind, title, f"{names} · {len(ids)} parts", consequence, tuple(ids), 35, {"parts": len(ids)}, (Mend("Apply transforms", tuple(Decision(id, "apply_transform", True) for id in ids)),))
