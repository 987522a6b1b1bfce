"""Planning rules: (reference, source sheet, destination sheet) to crossings. No pixel is touched here."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from trasloco.decisions.kinds import in_force
from trasloco.fit.channels import land
from trasloco.fit.crossings import baked
from trasloco.fit.drafts import drafts_of
from trasloco.fit.fitted import Fitted, fits_in_force
from trasloco.fit.geometry.backs import backs_for
from trasloco.fit.geometry.shape_wishes import wishes_for
from trasloco.fit.lights import lights_of
from trasloco.fit.model import Crossing, MeshCrossing, Plan, PlannedImage, Step
from trasloco.fit.naming import Namer
from trasloco.fit.passages import passages_of
from trasloco.fit.together.between import between, one_a_part
from trasloco.fit.together.planned import planned_together
from trasloco.fit.way import Way
from trasloco.scene.lengths import unit_name
from trasloco.scene.model import Decision, Scene
from trasloco.sheets.layouts import has_geometry
from trasloco.sheets.model import Sheet


def plan_move(
    reference: Scene, source: Sheet, destination: Sheet, decisions: Sequence[Decision] = ()
) -> Plan:
    """Plan every input of every used material, all lights and the geometry."""
    fits = fits_in_force(reference, destination, in_force(decisions))
    if not one_a_part(destination):
        made = _plan(reference, source, destination, decisions, fits)
        alpha = made.alpha
    else:
        inner = _plan(reference, source, between(destination), decisions, fits)
        asked = {d.target: d.value for d in in_force(decisions) if d.field == "largest_side" and d.value}
        sides = {**{id: asked.get("scene", 0) for id in reference.materials}, **asked}
        made, alpha = planned_together(inner, reference, destination, sides), inner.alpha
    passages = passages_of(
        reference, destination, list(made.crossings), list(made.meshes), list(made.lights), alpha
    )
    return replace(made, passages=tuple(passages))


def _plan(
    reference: Scene,
    source: Sheet,
    destination: Sheet,
    decisions: Sequence[Decision],
    fits: Mapping[str, Fitted],
) -> Plan:
    """The plan without what is said of everything beside material inputs."""
    namer = Namer(destination.images.pattern, destination.images.folder)
    crossings: list[Crossing] = []
    images: list[PlannedImage] = []
    alpha: dict[str, str] = {}
    atlases: dict[str, int] = {}
    holding = in_force(decisions)
    largest = {d.target: d.value for d in holding if d.field == "largest_side" and d.value}
    files = {d.target: d.value for d in holding if d.field == "file_kind" and d.value}
    paint = {d.target: d.value for d in holding if d.field == "paint" and d.value}
    for material in reference.materials.values():
        side = largest.get(material.id, largest.get("scene", 0))
        colors, fit = paint.get(material.id, ""), fits.get(material.id)
        file = files.get(material.id, files.get("scene"))
        way = Way(material, reference, source, destination, side, file, colors, fit)
        drafts, mode = drafts_of(way)
        alpha[material.id] = mode
        made, planned = land(drafts, way, namer)
        crossings += made
        images += planned
        drawn = {crossing.landing.image for crossing in made if baked(crossing)}
        if drawn:
            atlases[material.id] = max(image.width for image in planned if image.path in drawn)
    lights, meshes = lights_of(reference, destination), _meshes(reference, destination, decisions)
    return Plan(
        destination.name,
        tuple(crossings),
        tuple(images),
        tuple(lights),
        tuple(_geometry(source, destination, reference)),
        alpha,
        atlases,
        meshes=tuple(meshes),
    )


def _meshes(reference: Scene, destination: Sheet, decisions: Sequence[Decision]) -> list[MeshCrossing]:
    found = []
    for id, wish in wishes_for(reference, destination, decisions).items():
        count = sum(len(p.indices) for p in reference.meshes[id].primitives)
        parts = tuple(part.id for part in reference.parts() if part.mesh == id)
        text = (
            f"subdivided {wish.subdivide} time{'s' if wish.subdivide > 1 else ''}"
            if wish.subdivide
            else f"reduced to {wish.triangles} triangles"
        )
        found.append(MeshCrossing(id, parts, wish, count, text))
    return found


def _geometry(source: Sheet, destination: Sheet, reference: Scene) -> list[Step]:
    if not has_geometry(destination):
        return [Step("value", "none: the meshes stand there already, and looks travel alone")]
    steps = []
    before = reference.up_axis.value
    after, scale = destination.conventions.in_files
    if before != after:
        steps.append(Step("value", f"{before} up turned to {after} up"))
    unit = float(reference.unit_m.value)
    if unit != scale:
        steps.append(
            Step(
                "value",
                f"{unit_name(unit)} to {unit_name(scale)}, times {unit / scale:g}",
            )
        )
    for back in backs_for(reference, destination):
        front, behind = reference.materials[back.material].name, reference.materials[back.wears].name
        steps.append(
            Step(
                "value",
                f"{front}: backs made faces of their own"
                + (f", wearing {behind}" if behind != front else ""),
            )
        )
    return steps
