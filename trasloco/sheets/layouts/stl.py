"""STL files, one a part, facets alone."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.sheets.layouts.facts import Fault, LayoutFacts
from trasloco.sheets.layouts.points_alone import faults_of_part_files
from trasloco.sheets.model import Sheet


def _faults(sheet: Sheet) -> Iterator[Fault]:
    yield from faults_of_part_files(sheet, "STL")
    if sheet.materials.inputs:
        yield "materials.inputs", "STL has nothing of a surface."
    if sheet.structure.colors:
        yield "structure.colors", "STL has no place for colours on points."
    if sheet.structure.normals:
        yield "structure.normals", "STL has one normal a facet; every face is flat."


FACTS = LayoutFacts(
    "stl", "none", _faults, forms=("stl", "stl text"), files=("one", "one a part"), points=True
)
