"""The survey taken again on what is mended: what a mend did not mend, and what a wrong one made."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from trasloco.inventory.survey import notice
from trasloco.progress import Progress, silent
from trasloco.scene.findings import Finding
from trasloco.scene.model import Declared, Scene
from trasloco.sheets.model import Sheet

SETTLED = frozenset({"unit", "up_axis", "roughness", "green", "tint", "vertex_color"})
"""What a reference declares: in it everything that a file leaves open is settled."""


@dataclass(frozen=True)
class Remnant:
    """Something noticed about the reference.

    ``why``: ``made`` where the delivery did not have it, ``stayed`` where a mend was taken that should have
    cured it.
    """

    finding: Finding
    why: Literal["made", "stayed"]


def look_again(
    reference: Scene,
    source: Sheet,
    destination: Sheet,
    before: Sequence[Finding],
    progress: Progress = silent,
) -> list[Remnant]:
    """What is noticed about a reference that its delivery's findings ``before``, with what was decided about
    each, do not explain.

    What was open or accepted before and is there still is no news. Mends are not offered: they would count
    faces of the reference, while decisions count those of the delivery.
    """
    settled = replace(
        reference, unit_m=Declared(1.0, "file"), up_axis=Declared("Y", "file"), declares=SETTLED
    )
    made: list[Remnant] = []
    for finding in notice(settled, source, destination, (), progress):
        known = [
            one
            for one in before
            if one.kind == finding.kind
            and (not one.targets or not finding.targets or set(one.targets) & set(finding.targets))
        ]
        if not known:
            made.append(Remnant(replace(finding, mends=()), "made"))
        elif all(one.state == "mended" for one in known):
            made.append(Remnant(replace(finding, mends=()), "stayed"))
    return made
