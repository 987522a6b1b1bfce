"""One GLB with everything in it."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.inputs.table import INPUTS
from trasloco.light_codes.codes import LIGHT_CODES
from trasloco.sheets.layouts.facts import Fault, LayoutFacts
from trasloco.sheets.layouts.gltf_geometry import faults_of_geometry, faults_of_scene
from trasloco.sheets.layouts.no_list import faults_without_a_list
from trasloco.sheets.model import Sheet


def _faults(sheet: Sheet) -> Iterator[Fault]:
    yield from faults_of_geometry(sheet)
    if sheet.conventions.normal_green != "up":
        yield "conventions.normal_green", "glTF has green up."
    yield from _inputs(sheet)
    if sheet.lightmaps.taken and LIGHT_CODES[sheet.lightmaps.encoding].kind == "exr":
        yield "lightmaps.encoding", "glTF holds no floating images; take RGBM or 8 bits."
    if sheet.lightmaps.taken and sheet.lightmaps.packing == "together":
        yield (
            "lightmaps.packing",
            "A GLB names a lightmap in a material, so every part needs one of its own.",
        )
    yield from faults_without_a_list(sheet)
    if sheet.lights.sizes:
        yield "lights.sizes", "glTF has no place for how large a light is."
    if sheet.cameras.lens:
        yield "cameras.lens", "glTF cameras have no focus and no f-stop."
    if sheet.lights.environment:
        yield "lights.environment", "glTF has no place for an environment image."
    yield from faults_of_scene(sheet)
    yield from _images(sheet)


def _inputs(sheet: Sheet) -> Iterator[Fault]:
    for name in sheet.materials.inputs:
        row = INPUTS[name]
        if row.gltf is None:
            yield "materials.inputs", f"glTF has no place for {row.label.lower()}."
        elif not row.gltf.factor:
            yield "materials.inputs", f"{row.label} is an image in glTF, never a number."


def _images(sheet: Sheet) -> Iterator[Fault]:
    """Images that glTF keeps elsewhere: not at all, in other channels, or in one image with others."""
    held: dict[tuple[str, str], tuple[str, str]] = {}
    for one in sheet.materials.sets:
        for channel, name in one.channels.items():
            label, place = INPUTS[name].label, INPUTS[name].gltf
            if place is None:
                yield "materials.sets", f"glTF has no place for {label.lower()}."
            elif not place.texture:
                yield "materials.sets", f"{label} has no image in glTF."
            elif place.channels != channel:
                yield "materials.sets", f"{label} has to be in {place.channels.upper()} in glTF."
            else:
                first, elsewhere = held.setdefault((place.extension, place.texture), (name, one.name))
                if elsewhere != one.name:
                    yield (
                        "materials.sets",
                        f"{INPUTS[first].label} and {label.lower()} share one image in glTF.",
                    )


FACTS = LayoutFacts(
    "glb", "gltf", _faults, forms=("glb", "gltf", "gltf embedded"), images=("png", "jpg", "ktx2")
)
