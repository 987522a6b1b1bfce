"""A COLLADA document with materials of the common profile."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.inputs.table import INPUTS
from trasloco.sheets.layouts.facts import Fault, LayoutFacts
from trasloco.sheets.layouts.no_list import faults_without_a_list
from trasloco.sheets.model import Sheet

_NUMBERS = {"base_color", "roughness", "opacity", "emission", "ior"}
_IMAGES = {"base_color": "rgb", "opacity": "a", "emission": "rgb"}


def _faults(sheet: Sheet) -> Iterator[Fault]:
    rules = sheet.structure
    for name, there, why in (
        ("layers", rules.layers, "Layers are not written to COLLADA."),
        ("properties", rules.properties, "Custom properties are not written to COLLADA."),
        ("variants", rules.variants, "Variants of materials are not written to COLLADA."),
        ("clouds", rules.clouds, "Points and lines are not written to COLLADA."),
        ("tangents", rules.tangents, "Tangents are not written to COLLADA."),
        ("frame_rate", rules.frame_rate, "COLLADA keys are in seconds; it has no frame rate."),
        (
            "curves",
            rules.curves == "kept",
            "Motion is written as matrices at keys, joined by straight lines.",
        ),
        ("names", rules.names == "kept", "Names in COLLADA are single words of XML; ask for plain names."),
        ("uv_sets", rules.uv_sets == "none", "COLLADA has UV sets."),
        ("slots", rules.slots not in ("kept", "one a part"), "COLLADA keeps every slot."),
        ("normals", not rules.normals, "COLLADA keeps normals."),
        ("pivots", not rules.pivots, "COLLADA has a place for every part."),
    ):
        if there:
            yield f"structure.{name}", why
    yield from _materials(sheet)
    if {"rectangle", "disc"} & set(sheet.lights.kinds):
        yield "lights.kinds", "COLLADA has suns, points and spots only."
    if sheet.lights.kinds and sheet.lights.cone != "outer only":
        yield "lights.cone", "A spot in COLLADA has one angle."
    for name, there in (("sizes", sheet.lights.sizes), ("shadows", sheet.lights.shadows)):
        if there:
            yield f"lights.{name}", "COLLADA has no place for it."
    if sheet.lights.environment:
        yield "lights.environment", "COLLADA has no place for an environment image."
    if sheet.cameras.lens:
        yield "cameras.lens", "COLLADA cameras have no focus and no f-stop."
    if sheet.lightmaps.taken:
        yield "lightmaps.taken", "COLLADA has no place for lightmaps."
    yield from faults_without_a_list(sheet)


def _materials(sheet: Sheet) -> Iterator[Fault]:
    rules = sheet.materials
    for name, rule in rules.inputs.items():
        if name not in _NUMBERS:
            yield "materials.inputs", f"The common profile has no number for {INPUTS[name].label.lower()}."
        elif rule.multiplies:
            yield "materials.inputs", "The common profile has a number or an image, never both."
    for one in rules.sets:
        for channel, name in one.channels.items():
            if _IMAGES.get(name) != channel:
                yield (
                    "materials.sets",
                    f"The common profile has no image of {INPUTS[name].label.lower()} in {channel.upper()}.",
                )
    if {"mask", "blend"} <= set(rules.alpha):
        yield (
            "materials.alpha",
            "COLLADA does not say whether see-through is blended or cut; take one of them.",
        )
    if rules.cut_at != "half":
        yield "materials.cut_at", "COLLADA does not say where a cut-out is cut."
    if rules.two_sided == "flag":
        yield "materials.two_sided", "COLLADA does not say which faces have two sides."
    if rules.texture_transform:
        yield "materials.texture_transform", "The common profile cannot move an image."


FACTS = LayoutFacts(
    "collada",
    "common",
    _faults,
    forms=("collada", "collada 1.5", "zae"),
    images=("png", "jpg", "tif", "tga"),
    space=True,
)
