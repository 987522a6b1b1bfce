"""What is asked of meshes: by the artist for a part or for all, or by the destination's sheet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from trasloco.decisions.kinds import in_force
from trasloco.scene.geometry import triangle_count
from trasloco.scene.model import Decision, Scene
from trasloco.sheets.layouts import has_geometry
from trasloco.sheets.model import Sheet


@dataclass(frozen=True)
class ShapeWish:
    """What a mesh shall become: at most so many triangles (0 for any), or subdivided so many times."""

    triangles: int = 0
    subdivide: int = 0


def wishes_for(scene: Scene, destination: Sheet, decisions: Sequence[Decision]) -> dict[str, ShapeWish]:
    """Mesh id to what shall become of it. A decision about a part outranks one about the scene; a scene's
    budget is shared by triangles; the sheet's limit holds for each part.

    A mesh that several parts share follows the first of them that asks. Where meshes stand there already,
    none.
    """
    if not has_geometry(destination):
        return {}
    holding = in_force(decisions)
    budget = {d.target: int(d.value) for d in holding if d.field == "triangles" and d.value}
    level = {d.target: int(d.value) for d in holding if d.field == "subdivide" and d.value}
    share = min(1.0, budget["scene"] / max(triangle_count(scene), 1)) if "scene" in budget else 1.0
    wishes: dict[str, ShapeWish] = {}
    for part in scene.parts():
        mesh = scene.meshes[part.mesh or ""]
        count = sum(len(p.indices) for p in mesh.primitives)
        if part.id in level:
            wishes.setdefault(mesh.id, ShapeWish(subdivide=level[part.id]))
            continue
        wanted = min(budget.get(part.id, int(count * share)), destination.geometry.most_triangles or count)
        if wanted < count:
            wishes.setdefault(mesh.id, ShapeWish(triangles=max(wanted, 1)))
    return wishes
