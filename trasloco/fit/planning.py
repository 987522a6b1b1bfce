"""Planning rules: (reference, source sheet, destination sheet) to crossings. No pixel is touched here."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from trasloco.fit.model import Crossing, Landing, LightCrossing, Mark, Plan, PlannedImage, Step
from trasloco.fit.naming import Namer
from trasloco.inventory.checks.images import delivered_size
from trasloco.inventory.checks.size import unit_name
from trasloco.render.flatten import TEXTURED
from trasloco.scene.inputs import INPUTS, ORDER, VECTORS
from trasloco.scene.model import Decision, Input, Material, Scene
from trasloco.sheets.model import ImageSet, Sheet

CORE = ("base_color", "metalness", "roughness")
SHOWN = frozenset(TEXTURED) | {"height", "ior", "emission_strength"}
"""Inputs that the renderer shows; the loss of any other is told, but cannot be measured."""


@dataclass
class _Draft:
    """A crossing while it is planned."""

    name: str
    label: str
    given: Input
    target: str
    steps: list[Step] = field(default_factory=list)
    mark: Mark = "exact"
    reason: str = ""
    size: tuple[int, int] | None = None
    channel: str = ""
    set: ImageSet | None = None
    value: tuple[float, ...] = ()


def plan_move(reference: Scene, source: Sheet, destination: Sheet, decisions: Sequence[Decision] = ()) -> Plan:
    """Plan every input of every used material, all lights and the geometry."""
    namer = Namer(destination.images.pattern, destination.images.folder, destination.images.kind)
    crossings: list[Crossing] = []
    images: list[PlannedImage] = []
    alpha: dict[str, str] = {}
    baked: list[str] = []
    for material in reference.materials.values():
        drafts, mode = _material_drafts(material, reference, source, destination)
        alpha[material.id] = mode
        made, planned = _land(material, drafts, reference, destination, namer)
        crossings += made
        images += planned
        if any(step.kind == "vertex_color" and step.settings.get("bake") for crossing in made for step in crossing.steps):
            baked.append(material.id)
    return Plan(destination.name, tuple(crossings), tuple(images), tuple(_lights(reference, destination)), tuple(_geometry(source, destination, reference)), alpha, tuple(baked))


def _label(name: str, given: Input) -> str:
    if name == "roughness" and given.origin == "sheet":
        return "Gloss"
    return INPUTS[name].label


def _is_default(name: str, given: Input) -> bool:
    return given.texture is None and tuple(given.factor) == INPUTS[name].default


def has_paint(reference: Scene, material: str) -> bool:
    """Whether any part of a material has vertex colours that are not plain white."""
    for mesh in reference.meshes.values():
        for primitive in mesh.primitives:
            if primitive.material == material and primitive.colors is not None and len(primitive.colors) and float(np.abs(primitive.colors[:, :3] - 1).max()) > 1 / 512:
                return True
    return False


def _material_drafts(material: Material, reference: Scene, source: Sheet, destination: Sheet) -> tuple[list[_Draft], str]:
    """Drafts of all inputs, and the alpha mode at the destination."""
    rules = destination.materials
    mode: str = material.alpha_mode
    drafts: list[_Draft] = []
    for name in sorted(material.inputs, key=lambda key: ORDER[key]):
        given = material.inputs[name]
        if name not in CORE and _is_default(name, given):
            continue
        if name == "opacity" and material.alpha_mode == "opaque":
            continue
        if name == "emission_strength" and "emission" not in material.inputs:
            continue
        draft = _Draft(name, _label(name, given), given, "normal" if name == "height" else name)
        if name == "height" and "normal" in material.inputs:
            draft.mark, draft.reason, draft.target = "lost", "The material has a normal map as well; only one of them has a place.", ""
        image = reference.images.get(given.texture.image) if given.texture else None
        if given.texture is not None and (image is None or not image.usable):
            draft.mark, draft.reason = "blocked", f"{image.name if image else 'The image'} is missing or cannot be read. Relink it, or choose another."
            drafts.append(draft)
            continue
        known = draft.target in rules.inputs or rules.set_of(draft.target) is not None
        if name == "transmission" and not known and "blend" in rules.alpha:
            mode = "blend"
            _see_through(draft, given)
        elif name == "opacity":
            mode = _alpha(draft, material, destination)
        elif draft.mark != "lost" and not known:
            draft.mark, draft.target = "lost", ""
            unseen = "" if name in SHOWN else " The renderer does not show it yet."
            draft.reason = f"{destination.name} has no such input.{unseen}" + (f" {rules.inputs[name].note}" if name in rules.inputs else "")
        if draft.mark != "lost":
            _source_steps(draft, given, image, source, destination)
            if name == "base_color":
                _vertex_color(draft, material, reference, destination)
        drafts.append(draft)
    return drafts, mode


def _see_through(draft: _Draft, given: Input) -> None:
    draft.target = "opacity"
    draft.steps.append(Step("see_through", "carried as see-through"))
    draft.mark, draft.reason = "close", "Light passes, but is neither bent nor tinted; reflections fade with it."
    draft.given = replace(given, factor=(1 - given.factor[0],)) if given.texture is None else given


def _alpha(draft: _Draft, material: Material, destination: Sheet) -> str:
    wanted = material.alpha_mode
    if wanted in destination.materials.alpha:
        if wanted == "mask":
            draft.steps.append(Step("cut", f"cut at {material.alpha_cutoff:.2f}", {"cutoff": material.alpha_cutoff}))
        return wanted
    if wanted == "blend" and "mask" in destination.materials.alpha:
        draft.steps.append(Step("cut", "blend becomes a cut at 0.50", {"cutoff": 0.5}))
        draft.mark, draft.reason = "close", f"{destination.name} cannot blend; soft edges become hard."
        return "mask"
    draft.mark, draft.reason, draft.target = "lost", f"{destination.name} draws everything solid.", ""
    return "opaque"


def _source_steps(draft: _Draft, given: Input, image: object, source: Sheet, destination: Sheet) -> None:
    texture = given.texture
    if texture is None:
        return
    size = (getattr(image, "width", 0), getattr(image, "height", 0))
    draft.size = delivered_size(*size, destination.images.largest, destination.images.power_of_two)
    if texture.channels != "rgb" and getattr(image, "channels", 1) > 1:
        draft.steps.append(Step("extract", f"{texture.channels.upper()} taken out", {"channels": texture.channels}))
    if texture.invert and draft.name != "height":
        draft.steps.append(Step("invert", "inverted"))
    if draft.name == "height":
        depth = texture.strength * given.factor[0]
        draft.steps.append(Step("relief", "made a normal map", {"depth": depth, "inverted": texture.invert}))
        draft.mark, draft.reason = "close", "A normal map tilts the light; it holds no height."
    if draft.name in VECTORS or draft.name == "height":
        up = texture.green_up or draft.name == "height"
        if up != (destination.conventions.normal_green == "up"):
            draft.steps.append(Step("green", "green turned over"))
    elif draft.name not in VECTORS and any(f != 1.0 for f in given.factor):
        rule = destination.materials.inputs.get(draft.target)
        if rule is not None and rule.multiplies:
            draft.value = tuple(given.factor)
            draft.steps.append(Step("value", "tint kept beside the image" if INPUTS[draft.name].color else f"times {given.factor[0]:g}, kept beside the image"))
        else:
            text = "tint multiplied in" if INPUTS[draft.name].color else f"multiplied by {given.factor[0]:.3g}"
            draft.steps.append(Step("multiply", text, {"factor": list(given.factor)}))
    if draft.size != size:
        draft.steps.append(Step("resize", f"{size[0]} × {size[1]} to {draft.size[0]} × {draft.size[1]}", {"from": list(size), "to": list(draft.size)}))
        draft.mark = "close"
        draft.reason = draft.reason or f"{destination.name} refuses the size; resampled in linear light."


def _vertex_color(draft: _Draft, material: Material, reference: Scene, destination: Sheet) -> None:
    if not draft.given.vertex_color or not has_paint(reference, material.id):
        return
    if destination.materials.vertex_color == "multiplies":
        draft.steps.append(Step("vertex_color", "vertex colour travels in the mesh", {"bake": False}))
        return
    draft.steps.append(Step("vertex_color", "vertex colour made an image", {"bake": True}))
    draft.mark, draft.reason = "close", f"{destination.name} ignores vertex colours; paint and image were drawn into an atlas of their own."
    draft.size = (1024, 1024)


def _land(material: Material, drafts: list[_Draft], reference: Scene, destination: Sheet, namer: Namer) -> tuple[list[Crossing], list[PlannedImage]]:
    """Give every draft its image channel or constant, and list the images."""
    rules, by_set = destination.materials, {}  # type: ignore[var-annotated]
    for draft in drafts:
        if draft.mark in ("lost", "blocked") or not draft.target:
            continue
        place = rules.set_of(draft.target)
        if place is not None:
            draft.set, draft.channel = place
            by_set.setdefault(place[0].name, []).append(draft)
        elif draft.given.texture is not None:
            draft.mark, draft.reason = "close", f"{destination.name} takes a number here, not an image; the image's mean is used."
            draft.steps = [Step("value", "mean of the image")]
    images: list[PlannedImage] = []
    landed: dict[str, tuple[str, str]] = {}
    for one in rules.sets:
        members = list(by_set.get(one.name, []))
        pictured = [d for d in members if d.size is not None]
        _apart(pictured, destination)
        members, pictured = [d for d in members if d.target], [d for d in pictured if d.target]
        if not pictured:
            continue
        images.append(_image(material, one, members, pictured, destination, namer, landed))
    crossings = []
    for draft in drafts:
        identity = f"{material.id}/{draft.name}"
        path, channel = landed.get(draft.name, ("", ""))
        landing = Landing()
        if draft.target and draft.mark not in ("lost", "blocked"):
            value = draft.value if path else tuple(draft.given.factor)
            if path and draft.size is not None:
                count = sum(1 for p, _ in landed.values() if p == path)
                if count > 1 or channel != "rgb":
                    draft.steps.append(Step("pack", f"packed into {channel.upper()}", {"channel": channel}))
            landing = Landing(draft.target, path, channel, value)
        crossings.append(Crossing(identity, material.id, draft.name, draft.label, draft.given, tuple(draft.steps), landing, draft.mark, draft.reason))
    return crossings, images


def _placement(draft: _Draft) -> tuple[object, ...]:
    t = draft.given.texture
    return () if t is None else (t.uv_set, t.offset, t.rotation_rad, t.scale, t.wrap)


def _apart(pictured: list[_Draft], destination: Sheet) -> None:
    """Inputs that cannot share an image, since theirs is placed otherwise than most, or that the destination cannot place."""
    placements = [_placement(draft) for draft in pictured]
    usual = max(placements, key=placements.count, default=())
    for draft in pictured:
        texture = draft.given.texture
        moved = texture is not None and (texture.offset != (0.0, 0.0) or texture.rotation_rad != 0 or texture.scale != (1.0, 1.0))
        if moved and not destination.materials.texture_transform:
            draft.mark, draft.reason, draft.target, draft.set = "lost", f"{destination.name} cannot move or repeat an image; bake the placement into the UVs.", "", None
        elif _placement(draft) != usual:
            draft.mark, draft.reason, draft.target, draft.set = "lost", "Its image lies otherwise on the surface than the one it would be packed with.", "", None


def _image(material: Material, one: ImageSet, members: list[_Draft], pictured: list[_Draft], destination: Sheet, namer: Namer, landed: dict[str, tuple[str, str]]) -> PlannedImage:
    width, height = max(d.size[0] for d in pictured if d.size), max(d.size[1] for d in pictured if d.size)
    path = namer.path(material.name, one.name)
    channels: dict[str, str] = {}
    fill: dict[str, float] = {}
    for draft in members:
        channels[draft.channel] = f"{material.id}/{draft.name}"
        landed[draft.name] = (path, draft.channel)
        if draft.size is None:
            rule = destination.materials.inputs.get(draft.target)
            if rule is not None and rule.multiplies:
                draft.value = tuple(draft.given.factor)
            draft.steps.append(Step("value", f"filled into {draft.channel.upper()}" if not draft.value else "a number beside the image"))
        elif draft.size != (width, height):
            draft.steps = [s for s in draft.steps if s.kind != "resize"]
            draft.steps.append(Step("resize", f"brought to {width} × {height} beside its neighbours", {"to": [width, height]}))
            draft.mark, draft.reason = "close", draft.reason or "Packed with a larger image; resampled in linear light."
    for channel, name in one.channels.items():
        if channel not in channels and channel != "a":
            for letter in channel:
                fill[letter] = INPUTS[name].default[0]
    deepest = destination.images.depth
    return PlannedImage(path, material.id, one.name, width, height, deepest, destination.images.kind, one.encoding, channels, fill)


def _lights(reference: Scene, destination: Sheet) -> list[LightCrossing]:
    taken = 0
    found: list[LightCrossing] = []
    rules = destination.lights
    for light in sorted(reference.lights.values(), key=lambda item: -item.intensity):
        unit = "lx" if light.kind == "sun" else "cd"
        if light.kind not in rules.kinds:
            found.append(LightCrossing(light.id, f"{destination.name} takes no {light.kind} lights.", "lost"))
        elif rules.most and taken >= rules.most:
            found.append(LightCrossing(light.id, f"{destination.name} takes {rules.most}; a stronger one was carried.", "lost"))
        else:
            taken += 1
            found.append(LightCrossing(light.id, f"{light.intensity:g} {unit}, unit and shadows stated", "exact"))
    if reference.environment is not None:
        found.append(LightCrossing("environment", "picture, level and turn carried" if rules.environment else f"{destination.name} takes no environment; the proof lights both sides by the reference's.", "exact" if rules.environment else "lost"))
    return found


def _geometry(source: Sheet, destination: Sheet, reference: Scene) -> list[Step]:
    steps = []
    before, after = reference.up_axis.value, destination.conventions.up_axis
    if before != after:
        steps.append(Step("value", f"{before} up turned to {after} up"))
    unit = float(reference.unit_m.value)
    if unit != destination.conventions.unit_m:
        steps.append(Step("value", f"{unit_name(unit)} to {unit_name(destination.conventions.unit_m)}, times {unit / destination.conventions.unit_m:g}"))
    return steps
