"""What glTF leaves no choice about wherever geometry is a GLB."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.sheets.layouts.facts import Fault
from trasloco.sheets.model import Sheet


def faults_of_geometry(sheet: Sheet) -> Iterator[Fault]:
    if sheet.conventions.up_axis != "Y":
        yield "conventions.up_axis", "The geometry is a GLB, and glTF is Y up."
    if sheet.conventions.unit_m != 1.0:
        yield "conventions.unit_m", "The geometry is a GLB, and glTF is in metres."


def faults_of_scene(sheet: Sheet) -> Iterator[Fault]:
    if {"rectangle", "disc"} & set(sheet.lights.kinds):
        yield "lights.kinds", "glTF has suns, points and spots only."
    if sheet.structure.layers:
        yield "structure.layers", "glTF has no layers."
    if sheet.structure.frame_rate:
        yield "structure.frame_rate", "glTF keys are in seconds; it has no frame rate."
