"""Images alone, told by a pattern of names, for meshes that stand there already and look for them."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.inputs.table import INPUTS
from trasloco.sheets.layouts.facts import Fault, LayoutFacts
from trasloco.sheets.layouts.looks_alone import faults_of_looks
from trasloco.sheets.model import Sheet


def _faults(sheet: Sheet) -> Iterator[Fault]:
    yield from faults_of_looks(sheet)
    rules = sheet.materials
    for name in rules.inputs:
        yield (
            "materials.inputs",
            f"Nothing says a number here; {INPUTS[name].label.lower()} is an image or nothing.",
        )
    if rules.texture_transform:
        yield "materials.texture_transform", "Nothing says how an image is placed; it lies as the UVs do."
    if rules.wraps != "repeat":
        yield "materials.wraps", "Nothing says how an image is wrapped; it is repeated."
    if rules.cut_at != "half":
        yield "materials.cut_at", "Nothing says where a cut-out is cut."
    if {"mask", "blend"} <= set(rules.alpha):
        yield "materials.alpha", "Nothing says whether see-through is blended or cut; take one of them."
    if rules.two_sided == "flag":
        yield "materials.two_sided", "Nothing says which faces have two sides."
    if rules.relief_strength == "beside" and rules.set_of("normal") is not None:
        yield "materials.relief_strength", "Nothing says a number beside a normal map."
    if sheet.structure.uv_sets != "one":
        yield "structure.uv_sets", "Nothing says on which UV set an image lies; take one."
    if sheet.images.embedded:
        yield "images.embedded", "There is nothing but the images."


FACTS = LayoutFacts(
    "images",
    "none",
    _faults,
    forms=("images",),
    images=("png", "jpg", "tif", "tga", "webp", "exr", "dds", "ktx2"),
    geometry=False,
)
