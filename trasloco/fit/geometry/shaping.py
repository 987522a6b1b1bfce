"""Meshes shaped as asked, once for the same mesh and the same wish, with what it cost."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from trasloco.fit.geometry.deviation import deviation
from trasloco.fit.geometry.reducing import reduced
from trasloco.fit.geometry.shape_wishes import ShapeWish
from trasloco.fit.geometry.subdividing import subdivided
from trasloco.keeping import kept
from trasloco.scene.digest import digest
from trasloco.scene.geometry import joined_mesh
from trasloco.scene.model import Mesh, Scene


@dataclass(frozen=True)
class Shaped:
    """A mesh as asked.

    Attributes:
        before, after: triangles. largest_m, mean_m: distance from what was given, in metres.
        note: what could not be kept, as a sentence; empty when nothing.
    """

    mesh: Mesh
    before: int
    after: int
    largest_m: float
    mean_m: float
    note: str = ""


def shaped_meshes(scene: Scene, wishes: Mapping[str, ShapeWish]) -> dict[str, Shaped]:
    """Every mesh that is asked for, shaped and measured."""
    found: dict[str, Shaped] = {}
    world = scene.world_matrices()
    for id, wish in wishes.items():
        mesh = scene.meshes[id]
        node = next(n for n in scene.parts() if n.mesh == id)
        scale = float(np.linalg.svd(world[node.id][:3, :3], compute_uv=False)[0])
        key = digest("shaped", mesh.primitives, wish, scale)
        done = kept("shaped", key, partial(_shape, mesh, wish, scale))
        found[id] = replace(done, mesh=replace(done.mesh, id=mesh.id, name=mesh.name))
    return found


def _shape(mesh: Mesh, wish: ShapeWish, scale: float) -> Shaped:
    count = sum(len(p.indices) for p in mesh.primitives)
    if wish.subdivide:
        moving = any(p.morphs or p.joints is not None for p in mesh.primitives)
        if moving:
            return Shaped(
                mesh,
                count,
                count,
                0.0,
                0.0,
                "It has a skin or morph targets, which subdivision would lose; it stays as it is.",
            )
        made = replace(
            mesh,
            primitives=tuple(subdivided(p, wish.subdivide) if len(p.indices) else p for p in mesh.primitives),
        )
        note = ""
    else:
        parts = [
            reduced(p, max(1, round(wish.triangles * len(p.indices) / max(count, 1))))
            if len(p.indices)
            else (p, False)
            for p in mesh.primitives
        ]
        made = replace(mesh, primitives=tuple(p for p, _ in parts))
        note = (
            "Hard edges left nothing to reduce; they were made anew above 40°."
            if any(anew for _, anew in parts)
            else ""
        )
    after = sum(len(p.indices) for p in made.primitives)
    if wish.triangles and after > wish.triangles * 1.05:
        note = f"Borders of slots and seams are held, so {after} remain. {note}".strip()
    distance = deviation(joined_mesh(mesh.primitives), joined_mesh(made.primitives))
    return Shaped(made, count, after, distance.largest * scale, distance.mean * scale, note)
