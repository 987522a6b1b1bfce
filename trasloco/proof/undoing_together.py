"""What is lost where each part has one material: a part with the reference's own slots and materials instead."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from trasloco.fit.model import Plan
from trasloco.proof.suspect import GONE, Suspect
from trasloco.proof.undoing_meshes import meshes_undone
from trasloco.scene.joining import filled
from trasloco.scene.model import Scene


def drawn_together(reference: Scene, arrival: Scene, plan: Plan | None) -> list[Suspect]:
    """One suspect a mesh whose slots were drawn into one material, by the first part that wears it."""
    if plan is None or plan.between is None:
        return []
    found: list[Suspect] = []
    for part in reference.parts():
        mesh = reference.meshes[part.mesh or ""]
        if any(one.id == mesh.id for one in found):
            continue
        worn = dict.fromkeys(p.material for p in filled(mesh) if p.material in reference.materials)
        marks = {c.mark for id in worn for c in plan.of(id or "")}
        if not marks - {"exact"}:
            continue
        lost = [c.label.lower() for id in worn for c in plan.of(id or "") if c.mark == "lost"]
        without = f"; {', '.join(dict.fromkeys(lost))} stay behind" if lost else ""
        text = f"What its {len(worn)} materials say is drawn over one UV set{without}."
        found.append(
            Suspect(
                mesh.id, "geometry", "One material", part.name, text, part.id, _undone(reference, mesh.id)
            )
        )
    return found


def _undone(reference: Scene, mesh_id: str) -> Callable[[Scene], Scene]:
    def undo(arrival: Scene) -> Scene:
        """The arrival with a mesh's faces in the materials and images that the reference has."""
        made = meshes_undone(reference, arrival, only={mesh_id})
        mesh = reference.meshes[mesh_id]
        slots = tuple(replace(p, material=GONE + (p.material or "")) for p in mesh.primitives)
        materials = {
            GONE + m.id: replace(
                m,
                id=GONE + m.id,
                back=GONE + m.back if m.back else None,
                inputs={
                    name: given.retextured(lambda t: replace(t, image=GONE + t.image))
                    for name, given in m.inputs.items()
                },
            )
            for m in reference.materials.values()
        }
        return replace(
            made,
            meshes={**made.meshes, GONE + mesh_id: replace(mesh, id=GONE + mesh_id, primitives=slots)},
            materials={**made.materials, **materials},
            images={
                **made.images,
                **{GONE + i.id: replace(i, id=GONE + i.id) for i in reference.images.values()},
            },
        )

    return undo
