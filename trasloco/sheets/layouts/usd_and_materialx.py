"""A USD layer and a MaterialX document with OpenPBR networks, images beside them."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.inputs.table import INPUTS
from trasloco.sheets.layouts.facts import Fault, LayoutFacts
from trasloco.sheets.layouts.no_list import faults_without_a_list
from trasloco.sheets.model import Sheet


def _faults(sheet: Sheet) -> Iterator[Fault]:
    yield from faults_of_networks(sheet)
    yield from faults_of_stages(sheet)


def faults_of_networks(sheet: Sheet) -> Iterator[Fault]:
    """What OpenPBR networks leave no choice about, wherever they stand."""
    if sheet.conventions.normal_green != "up":
        yield "conventions.normal_green", "MaterialX has green up."
    named = [
        *((name, "materials.inputs") for name in sheet.materials.inputs),
        *((name, "materials.sets") for one in sheet.materials.sets for name in one.channels.values()),
    ]
    for name, line in named:
        if not (INPUTS[name].nodes.openpbr or INPUTS[name].nodes.thin):
            yield line, f"OpenPBR has no input for {INPUTS[name].label.lower()}."
    for one in sheet.materials.sets:
        if list(one.channels) not in (["rgb"], ["r"]):
            yield "materials.sets", f"{one.name}: a network has one image for each input, in RGB or R."


def faults_of_stages(sheet: Sheet) -> Iterator[Fault]:
    """What USD leaves no choice about, whatever its materials are."""
    if sheet.lightmaps.taken:
        yield "lightmaps.taken", "USD and MaterialX have no place for lightmaps."
    yield from faults_without_a_list(sheet)
    if sheet.structure.curves == "kept":
        yield "structure.curves", "USD joins its time samples by straight lines."
    for one in sheet.materials.sets:
        if list(one.channels) not in (["rgb"], ["r"]):
            yield "materials.sets", f"{one.name}: a network has one image for each input, in RGB or R."


FORMS = ("usdc", "usda", "usd layers", "usdz")
FACTS = LayoutFacts(
    "usd and materialx",
    "openpbr",
    _faults,
    forms=FORMS,
    images=("png", "jpg", "tif", "exr"),
    networks=True,
    space=True,
    shifts=True,
    lumens=True,
    obstacles=True,
)
