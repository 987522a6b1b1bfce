"""One difference of an arrival taken back: the arrival as it would be had that one thing travelled."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from trasloco.fit.model import Plan
from trasloco.inputs.table import INPUTS, ORDER, company_of
from trasloco.proof.differing import counts_for, habit_told, same_relief, says_otherwise
from trasloco.proof.pairing import paired_materials
from trasloco.proof.suspect import GONE, Suspect, all_of
from trasloco.proof.undoing_light import lamps_of, written_light
from trasloco.proof.undoing_meshes import meshes_undone
from trasloco.proof.undoing_together import drawn_together
from trasloco.scene.model import Material, Scene


def suspects(reference: Scene, arrival: Scene, plan: Plan | None = None) -> list[Suspect]:
    """Every difference that can be seen in a picture, in the order of materials, then their sides, then
    lights, then geometry.
    """
    found: list[Suspect] = []
    sides: list[Suspect] = []
    apart = plan is None or plan.between is None
    pairs = paired_materials(reference, arrival) if apart else {}
    worn = {p.material for mesh in reference.meshes.values() for p in mesh.primitives}
    worn |= {material.back for material in reference.materials.values()}
    for id, material in reference.materials.items():
        other = arrival.materials.get(pairs.get(id, ""))
        if id not in worn or other is None:
            continue
        found += _of_material(material, other, reference, arrival, plan)
        if material.double_sided != other.double_sided or (material.back is None) != (other.back is None):
            sides.append(
                Suspect(
                    f"{id}/sides",
                    "sides",
                    "Sides",
                    material.name,
                    "Its backs are drawn otherwise.",
                    id,
                    _fields_undone(
                        other.id, double_sided=material.double_sided, back=pairs.get(material.back or "")
                    ),
                )
            )
    lamps = lamps_of(reference, arrival)
    return [
        *found,
        *_together(sides, "materials"),
        *_together(lamps, "lamps"),
        *written_light(arrival, lamps),
        *drawn_together(reference, arrival, plan),
        *_geometry(reference, arrival, plan),
    ]


def _of_material(
    material: Material, other: Material, reference: Scene, arrival: Scene, plan: Plan | None
) -> list[Suspect]:
    """What differs of a material's inputs and its see-through."""
    id = material.id
    told = {crossing.name: crossing for crossing in plan.of(id)} if plan is not None else {}
    stands_for = _stand_ins(id, material, other, plan)
    replaced = set(stands_for.values())
    found: list[Suspect] = []
    for name in sorted({*material.inputs, *other.inputs} - replaced, key=lambda n: ORDER[n]):
        crossing = told.get(name)
        if name in stands_for:
            if name == "height" and same_relief(material, other, reference, arrival):
                continue
            reason = (
                crossing.reason
                if crossing is not None and crossing.reason
                else f"It became {INPUTS[stands_for[name]].label.lower()}."
            )
        elif counts_for(name, material, other) and says_otherwise(name, material, other, reference, arrival):
            reason = (
                crossing.reason
                if crossing is not None and crossing.mark != "exact" and crossing.reason
                else habit_told(name, material, other, crossing is not None)
            )
        else:
            continue
        found.append(
            Suspect(
                f"{id}/{name}",
                "input",
                INPUTS[name].label,
                material.name,
                reason,
                f"{id}/{name}",
                _input_undone(reference, id, other.id, name, stands_for.get(name, "")),
            )
        )
    found = _with_their_company(found)
    if (
        "opacity" not in replaced
        and material.alpha_mode != other.alpha_mode
        and (material.alpha_mode != "opaque" or "opacity" in other.inputs)
    ):
        found.append(
            Suspect(
                f"{id}/see-through",
                "see-through",
                "See-through",
                material.name,
                f"{material.alpha_mode} became {other.alpha_mode}.",
                id,
                _see_through_undone(reference, id, other.id),
            )
        )
    return found


def _stand_ins(id: str, material: Material, other: Material, plan: Plan | None) -> dict[str, str]:
    """Inputs that arrive as another one: relief as a normal map, transmission as opacity, by the plan, or by
    what is missing on one side and there on the other.
    """
    made = (
        {
            c.name: c.landing.input
            for c in plan.of(id)
            if c.landing.input and c.landing.input != c.name and c.landing.input not in material.inputs
        }
        if plan is not None
        else {}
    )
    if "height" in material.inputs and "normal" not in material.inputs and "normal" in other.inputs:
        made["height"] = "normal"
    return made


def _input_undone(
    reference: Scene, id: str, other: str, name: str, stand_in: str = ""
) -> Callable[[Scene], Scene]:
    """The reference's input in place of the arrival's, and of what stands there for it."""

    def undo(arrival: Scene) -> Scene:
        made = arrival.materials[other]
        whole = reference.materials[id]
        given = whole.inputs.get(name)
        inputs = {k: v for k, v in made.inputs.items() if k not in (name, stand_in)}
        if stand_in == "opacity":
            made = replace(made, alpha_mode=whole.alpha_mode, alpha_cutoff=whole.alpha_cutoff)
        images = dict(arrival.images)
        if given is not None:
            for texture in given.textures:
                if texture.image in reference.images:
                    images[GONE + texture.image] = replace(
                        reference.images[texture.image], id=GONE + texture.image
                    )
            inputs[name] = given.retextured(lambda t: replace(t, image=GONE + t.image))
        arrival = replace(arrival.with_material(replace(made, inputs=inputs)), images=images)
        old = made.inputs.get(name)
        needs_mesh = (
            given is not None and (given.vertex_color or any(t.uv_set > 0 for t in given.textures))
        ) or (old is not None and old.vertex_color)
        return meshes_undone(reference, arrival, {id}) if needs_mesh else arrival

    return undo


def _fields_undone(other: str, **fields: Any) -> Callable[[Scene], Scene]:
    return lambda arrival: arrival.with_material(replace(arrival.materials[other], **fields))


def _see_through_undone(reference: Scene, id: str, other: str) -> Callable[[Scene], Scene]:
    given = reference.materials[id]

    def undo(arrival: Scene) -> Scene:
        arrival = _input_undone(reference, id, other, "opacity")(arrival)
        return arrival.with_material(
            replace(arrival.materials[other], alpha_mode=given.alpha_mode, alpha_cutoff=given.alpha_cutoff)
        )

    return undo


def _with_their_company(alone: list[Suspect]) -> list[Suspect]:
    """A lost input together with those that only say how it works, as one suspect."""
    by_name = {one.id.rpartition("/")[2]: one for one in alone}
    taken: set[str] = set()
    made = []
    for name, one in by_name.items():
        with_it = [by_name[other] for other in company_of(name) if other in by_name]
        taken |= {w.id for w in with_it}
        made.append(replace(one, undo=all_of([one, *with_it])) if with_it else one)
    return [one for one in made if one.id not in taken]


_ALIKE = 2
"""Lamps, or sides, that fare alike are told one by one up to so many; more are one cause."""


def _together(several: list[Suspect], what: str) -> list[Suspect]:
    """Many that suffer the same as one suspect: lamps' light adds up and what the eye makes of it does not,
    and backs drawn otherwise are one habit.
    """
    by_reason: dict[str, list[Suspect]] = {}
    for one in several:
        by_reason.setdefault(one.reason, []).append(one)
    made = []
    for reason, alike in by_reason.items():
        if len(alike) <= _ALIKE:
            made += alike
            continue
        many = reason.replace("It ", "They ", 1).replace("arrives", "arrive").replace("Its ", "Their ", 1)
        made.append(
            Suspect(
                alike[0].id,
                alike[0].kind,
                ", ".join(one.where for one in alike),
                f"{len(alike)} {what}",
                many,
                alike[0].target,
                all_of(alike),
            )
        )
    return made


def _geometry(reference: Scene, arrival: Scene, plan: Plan | None) -> list[Suspect]:
    found = []
    for crossing in plan.meshes if plan is not None else ():
        if crossing.mark == "exact" or crossing.mesh not in reference.meshes:
            continue
        found.append(
            Suspect(
                crossing.mesh,
                "geometry",
                "Shape",
                reference.meshes[crossing.mesh].name,
                crossing.text[:1].upper() + crossing.text[1:] + ".",
                crossing.parts[0] if crossing.parts else crossing.mesh,
                lambda scene, mesh=crossing.mesh: meshes_undone(reference, scene, only={mesh}),  # type: ignore[misc]
            )
        )  # type: ignore[misc]
    return found
