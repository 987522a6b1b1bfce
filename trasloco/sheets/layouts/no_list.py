"""What only a material list has a place for."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.sheets.layouts.facts import Fault
from trasloco.sheets.model import Sheet


def faults_without_a_list(sheet: Sheet) -> Iterator[Fault]:
    for name, there in (("direction", sheet.lightmaps.direction), ("probes", sheet.lightmaps.probes)):
        if there:
            yield f"lightmaps.{name}", "Only a material list has a place for it."
    if sheet.lights.backdrop:
        yield "lights.backdrop", "Only a material list has a place for a backdrop."
