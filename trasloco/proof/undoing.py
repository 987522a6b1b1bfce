"""One difference of an arrival taken back: the arrival as it would be had that one thing travelled."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from trasloco.fit.formulas.resampling import resample
from trasloco.fit.lights import soft
from trasloco.fit.model import Plan
from trasloco.fit.way import has_paint
from trasloco.inputs.table import INPUTS, ORDER, VECTORS, company_of
from trasloco.proof.pairing import paired_lamps, paired_materials, paired_parts
from trasloco.scene.layers import flattened, lie_alike, placement_of
from trasloco.scene.model import Input, Material, Scene
from trasloco.scene.resolve import input_values

Kind = Literal["input", "sides", "see-through", "light", "geometry"]
_SIDE = 64
_NOT_SEEN = 1.5 / 255
_GONE = "ref:"


@dataclass(frozen=True)
class Suspect:
    """A difference between reference and arrival that can be taken back.

    Attributes:
        id: ``material id/input`` of the reference, or ``material id/sides``, or the node or mesh it is about.
            label, where: what it is and of what, for the screen.
        reason: what the plan says of it, or what the importer did. target: what a decision about it would
            name.
        undo: the arrival with this one thing as the reference has it.
    """

    id: str
    kind: Kind
    label: str
    where: str
    reason: str
    target: str
    undo: Callable[[Scene], Scene]


def suspects(reference: Scene, arrival: Scene, plan: Plan | None = None) -> list[Suspect]:
    """Every difference that can be seen in a picture, in the order of materials, then their sides, then
    lights, then geometry.
    """
    found: list[Suspect] = []
    sides: list[Suspect] = []
    pairs = paired_materials(reference, arrival)
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
    lamps = _lamps(reference, arrival)
    return [
        *found,
        *_together(sides, "materials"),
        *_together(lamps, "lamps"),
        *_written_light(arrival, lamps),
        *_geometry(reference, arrival, plan),
    ]


def _written_light(arrival: Scene, lamps: list[Suspect]) -> list[Suspect]:
    """Light written down on parts that stand, and at places for those that move: taken back, they are lit by
    the lamps of the reference again.
    """
    found = []
    for label, held, reason in (
        (
            "Lightmaps",
            {n.id for n in arrival.parts() if n.lightmap is not None},
            "Their light was written down, and is read from texels.",
        ),
        (
            "Probes",
            {n.id for n in arrival.parts() if n.probed},
            "Their light was written down at places that they pass.",
        ),
    ):

        def undo(scene: Scene, held: frozenset[str] = frozenset(held)) -> Scene:
            return _all_of(lamps)(
                replace(
                    scene,
                    nodes={
                        id: replace(n, lightmap=None, probed=False) if id in held else n
                        for id, n in scene.nodes.items()
                    },
                )
            )

        if held:
            found.append(
                Suspect(
                    label.lower(),
                    "light",
                    label,
                    f"{len(held)} part{'s' if len(held) > 1 else ''}",
                    reason,
                    "lightmaps",
                    undo,
                )
            )
    return found


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
            if name == "height" and _same_relief(material, other, reference, arrival):
                continue
            reason = (
                crossing.reason
                if crossing is not None and crossing.reason
                else f"It became {INPUTS[stands_for[name]].label.lower()}."
            )
        elif _counts(name, material, other) and _differs(name, material, other, reference, arrival):
            reason = (
                crossing.reason
                if crossing is not None and crossing.mark != "exact" and crossing.reason
                else _habit(name, material, other, crossing is not None)
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


def _same_relief(material: Material, other: Material, reference: Scene, arrival: Scene) -> bool:
    mine = _small("height", material.inputs["height"], reference)
    theirs = _small("normal", other.inputs["normal"], arrival)
    if mine is None or theirs is None:
        return False
    a, b = np.broadcast_arrays(mine, theirs)
    return bool(np.abs(a - b).mean() < _NOT_SEEN)


def _counts(name: str, material: Material, other: Material) -> bool:
    """Opacity says nothing of what is solid on both sides; a strength nothing of what does not glow, and so
    with all that only says how another input works.
    """
    if name == "opacity":
        return material.alpha_mode != "opaque" and other.alpha_mode != "opaque"
    lead = INPUTS[name].beside
    if lead:
        return lead in material.inputs or lead in other.inputs
    return name != "occlusion"


def _differs(name: str, material: Material, other: Material, reference: Scene, arrival: Scene) -> bool:
    mine, theirs = (m.inputs.get(name, Input(INPUTS[name].default)) for m in (material, other))
    moved = (
        mine.texture is not None
        and theirs.texture is not None
        and placement_of(mine.texture) != placement_of(theirs.texture)
    )
    if moved or (mine.vertex_color and has_paint(reference, material.id)) != (
        theirs.vertex_color and has_paint(arrival, other.id)
    ):
        return True
    a, b = _small(name, mine, reference), _small(name, theirs, arrival)
    if a is None or b is None:
        return (a is None) != (b is None)
    a, b = np.broadcast_arrays(a, b)
    with np.errstate(invalid="ignore"):
        apart = np.abs(a - b) * _looked_at(name, material, reference)
    return bool(
        np.nanmax(np.where(np.isfinite(apart), apart, 0)) > 0
        if not np.isfinite(apart).all()
        else apart.mean() > _NOT_SEEN / 8 or apart.max() > _NOT_SEEN * 4
    )


def _looked_at(name: str, material: Material, scene: Scene) -> Any:
    """Where an input can be seen at all: what is cut away may hold anything, and what is under it is padded
    on the way.
    """
    given, opacity = material.inputs.get(name), material.inputs.get("opacity")
    if (
        material.alpha_mode == "opaque"
        or name == "opacity"
        or given is None
        or opacity is None
        or placement_of(given.texture) != placement_of(opacity.texture)
    ):
        return 1.0
    seen = _small("opacity", opacity, scene)
    return 1.0 if seen is None else (seen > 0.5 * float(seen.max())).astype(np.float32)


def _small(name: str, given: Input, scene: Scene) -> Any:
    """What an input says, at most :data:`_SIDE` texels a side; None when its image is missing."""
    image = scene.images.get(given.texture.image) if given.texture is not None else None
    if given.texture is not None and (image is None or not image.usable):
        return None
    values = (
        flattened(name, given, scene.images, _SIDE, _SIDE)
        if given.layers and lie_alike(given) and name not in VECTORS
        else input_values(name, given, image)
    )
    if values.shape[0] > 1 or values.shape[1] > 1:
        values = resample(values, _SIDE, _SIDE)
        values = values if values.ndim == 3 else values[..., None]
    return values


def _habit(name: str, material: Material, other: Material, planned: bool) -> str:
    mine, theirs = material.inputs.get(name), other.inputs.get(name)
    if theirs is None:
        return "The destination did not take it."
    if mine is None:
        return "The destination set it by itself."
    if mine.texture is not None and theirs.texture is None:
        return "The destination did not take its image."
    if theirs.vertex_color and not mine.vertex_color:
        return "The destination multiplies leftover vertex colours in."
    return "It arrives otherwise than it was sent." if planned else "The destination reads it otherwise."


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
                    images[_GONE + texture.image] = replace(
                        reference.images[texture.image], id=_GONE + texture.image
                    )
            inputs[name] = given.retextured(lambda t: replace(t, image=_GONE + t.image))
        arrival = replace(arrival.with_material(replace(made, inputs=inputs)), images=images)
        old = made.inputs.get(name)
        needs_mesh = (
            given is not None and (given.vertex_color or any(t.uv_set > 0 for t in given.textures))
        ) or (old is not None and old.vertex_color)
        return _meshes_undone(reference, arrival, {id}) if needs_mesh else arrival

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


def _meshes_undone(
    reference: Scene, arrival: Scene, materials: set[str] | None = None, only: set[str] | None = None
) -> Scene:
    """The reference's meshes in place of the arrival's, for parts that wear certain materials, or certain
    meshes; placed in the world as the reference has them.
    """
    pairs, wears = paired_parts(reference, arrival), paired_materials(reference, arrival)
    meshes, nodes = dict(arrival.meshes), dict(arrival.nodes)
    world, there = reference.world_matrices(), arrival.world_matrices()
    for part in reference.parts():
        mesh = reference.meshes[part.mesh or ""]
        concerned = (
            mesh.id in only
            if only is not None
            else any(p.material in (materials or set()) for p in mesh.primitives)
        )
        other = pairs.get(part.id)
        if not concerned or other is None:
            continue
        node = arrival.nodes[other]
        parent = there[node.parent] if node.parent is not None else np.eye(4)
        meshes[_GONE + mesh.id] = replace(
            mesh,
            id=_GONE + mesh.id,
            primitives=tuple(
                replace(p, material=wears.get(p.material or "", p.material)) for p in mesh.primitives
            ),
        )
        nodes[other] = replace(
            node,
            mesh=_GONE + mesh.id,
            matrix=np.linalg.inv(parent) @ world[part.id],
            skin=None,
            lightmap=None,
        )
    return replace(arrival, meshes=meshes, nodes=nodes)


def _with_their_company(alone: list[Suspect]) -> list[Suspect]:
    """A lost input together with those that only say how it works, as one suspect."""
    by_name = {one.id.rpartition("/")[2]: one for one in alone}
    taken: set[str] = set()
    made = []
    for name, one in by_name.items():
        with_it = [by_name[other] for other in company_of(name) if other in by_name]
        taken |= {w.id for w in with_it}
        made.append(replace(one, undo=_all_of([one, *with_it])) if with_it else one)
    return [one for one in made if one.id not in taken]


def _all_of(several: list[Suspect]) -> Callable[[Scene], Scene]:
    def undo(scene: Scene) -> Scene:
        for one in several:
            scene = one.undo(scene)
        return scene

    return undo


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
                _all_of(alike),
            )
        )
    return made


def _lamps(reference: Scene, arrival: Scene) -> list[Suspect]:
    found = []
    pairs = paired_lamps(reference, arrival)
    world = reference.world_matrices()
    for node in reference.nodes.values():
        light = reference.lights.get(node.light or "")
        if light is None or not light.enabled or light.opening:
            continue
        other = arrival.nodes.get(pairs.get(node.id, ""))
        arrived = arrival.lights.get(other.light or "") if other is not None else None
        same = (
            arrived is not None
            and arrived.kind == light.kind
            and arrived.enabled
            and arrived.shadows == light.shadows
            and np.allclose(
                [arrived.intensity, *arrived.color, arrived.outer_cone_rad],
                [light.intensity, *light.color, light.outer_cone_rad],
                rtol=2e-3,
            )
        )
        narrower = arrived is not None and soft(light, arrived)
        if same and not narrower:
            continue
        reason = (
            "Its shadows arrive with hard edges."
            if same
            else "It did not arrive."
            if arrived is None
            else f"It arrives as a {arrived.kind}."
            if arrived.kind != light.kind
            else "Its shadows are switched off."
            if arrived.shadows != light.shadows and np.isclose(arrived.intensity, light.intensity, rtol=2e-3)
            else f"It arrives at {arrived.intensity / max(light.intensity, 1e-9):.2g} times its strength."
        )

        def undo(scene: Scene, id: str = node.id, other: str | None = pairs.get(node.id)) -> Scene:
            given = reference.nodes[id]
            own = reference.lights[given.light or ""]
            nodes = {k: replace(n, light=None) if k == other else n for k, n in scene.nodes.items()}
            nodes[_GONE + id] = replace(
                given,
                id=_GONE + id,
                parent=None,
                matrix=world[id],
                mesh=None,
                camera=None,
                light=_GONE + own.id,
            )
            return replace(
                scene, nodes=nodes, lights={**scene.lights, _GONE + own.id: replace(own, id=_GONE + own.id)}
            )

        found.append(Suspect(node.id, "light", "Light", node.name, reason, light.id, undo))
    return found


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
                lambda scene, mesh=crossing.mesh: _meshes_undone(reference, scene, only={mesh}),  # type: ignore[misc]
            )
        )  # type: ignore[misc]
    return found
