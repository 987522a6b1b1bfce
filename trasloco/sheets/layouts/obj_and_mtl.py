"""OBJ files with one MTL library, images beside them."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.inputs.table import INPUTS
from trasloco.sheets.layouts.facts import Fault, LayoutFacts
from trasloco.sheets.layouts.points_alone import faults_of_points
from trasloco.sheets.model import Sheet


def _faults(sheet: Sheet) -> Iterator[Fault]:
    yield from faults_of_points(sheet, "OBJ")
    if sheet.structure.colors:
        yield "structure.colors", "OBJ has no place for colours on points."
    if sheet.structure.uv_sets != "one":
        yield "structure.uv_sets", "OBJ has one UV set."
    if sheet.structure.slots == "kept":
        yield "structure.slots", "OBJ has one slot for each material of a part."
    yield from _materials(sheet)
    classic = sheet.package.form == "obj classic"
    for name in sheet.materials.inputs:
        row = INPUTS[name]
        if classic and not row.mtl.classic:
            yield "materials.inputs", f"Classic MTL has no statement for {row.label.lower()}."
        elif not row.mtl.value and name != "emission_strength":
            yield "materials.inputs", f"MTL has no number for {row.label.lower()}."
    for one in sheet.materials.sets:
        for channel, name in one.channels.items():
            label = INPUTS[name].label
            if not INPUTS[name].mtl.maps or name == "height":
                yield "materials.sets", f"MTL has no image here for {label.lower()}."
            elif classic and INPUTS[name].mtl.classic != "image":
                yield "materials.sets", f"Classic MTL has no image for {label.lower()}."
            elif channel not in ("rgb", "r"):
                yield "materials.sets", f"{one.name}: MTL has one image for each input, in RGB or R."


def _materials(sheet: Sheet) -> Iterator[Fault]:
    rules = sheet.materials
    if "blend" in rules.alpha:
        yield "materials.alpha", "MTL does not say whether see-through is blended or cut; take cut."
    if rules.cut_at != "half":
        yield "materials.cut_at", "MTL does not say where a cut-out is cut."
    if rules.two_sided == "flag":
        yield "materials.two_sided", "MTL does not say which faces have two sides."
    if rules.wraps != "repeat or clamp":
        yield "materials.wraps", "MTL repeats an image or holds its border, and never mirrors it."
    if sheet.conventions.normal_green != "up" and rules.set_of("normal") is not None:
        yield "conventions.normal_green", "The physical statements have green up."
    if sheet.images.embedded:
        yield "images.embedded", "MTL names images, and holds none."


FACTS = LayoutFacts(
    "obj and mtl",
    "mtl",
    _faults,
    forms=("obj", "obj classic"),
    files=("one", "one a part"),
    images=("png", "jpg", "dds", "tif", "tga", "exr"),
)
