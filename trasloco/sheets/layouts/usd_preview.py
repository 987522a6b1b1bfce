"""USD with preview surfaces alone."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.inputs.table import INPUTS, NOT_IN_PREVIEW
from trasloco.sheets.layouts.facts import Fault, LayoutFacts
from trasloco.sheets.layouts.usd_and_materialx import FORMS, faults_of_stages
from trasloco.sheets.model import Sheet

_BESIDE = frozenset({"emission_strength"})
"""Numbers that are multiplied into what they stand beside."""


def _faults(sheet: Sheet) -> Iterator[Fault]:
    if sheet.conventions.normal_green != "up":
        yield "conventions.normal_green", "UsdPreviewSurface has green up."
    if sheet.materials.vertex_color == "multiplies":
        yield "materials.vertex_color", "A preview surface does not multiply colours on points."
    if sheet.materials.relief_strength == "beside" and sheet.materials.set_of("normal") is not None:
        yield "materials.relief_strength", "A preview surface has no number for the strength of a normal map."
    named = [
        *((name, "materials.inputs") for name in sheet.materials.inputs),
        *((name, "materials.sets") for one in sheet.materials.sets for name in one.channels.values()),
    ]
    for name, line in named:
        known = INPUTS[name].nodes.preview and name not in NOT_IN_PREVIEW
        if not known and name not in _BESIDE:
            yield line, f"UsdPreviewSurface has no input for {INPUTS[name].label.lower()}."
    yield from faults_of_stages(sheet)


FACTS = LayoutFacts(
    "usd preview",
    "preview",
    _faults,
    forms=FORMS,
    images=("png", "jpg", "exr"),
    space=True,
    shifts=True,
    lumens=True,
    obstacles=True,
)
