"""PLY files, one a part, with colours on points."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.sheets.layouts.facts import Fault, LayoutFacts
from trasloco.sheets.layouts.points_alone import faults_of_part_files
from trasloco.sheets.model import Sheet


def _faults(sheet: Sheet) -> Iterator[Fault]:
    yield from faults_of_part_files(sheet, "PLY")
    if set(sheet.materials.inputs) - {"base_color"}:
        yield "materials.inputs", "PLY has colours on points, and nothing else of a surface."
    if "base_color" in sheet.materials.inputs and not sheet.materials.colors_on_points:
        yield "materials.colors_on_points", "PLY has no other place for base colour than its points."


FACTS = LayoutFacts(
    "ply", "none", _faults, forms=("ply", "ply text"), files=("one", "one a part"), points=True
)
