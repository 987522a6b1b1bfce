"""What packages leave no choice about that hold looks alone, for meshes that stand at the destination
already.
"""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.sheets.layouts.facts import Fault
from trasloco.sheets.layouts.no_list import faults_without_a_list
from trasloco.sheets.model import Sheet


def faults_of_looks(sheet: Sheet) -> Iterator[Fault]:
    """Lamps, cameras and whatever would need other faces or other UVs than those that stand there."""
    if sheet.lights.kinds:
        yield "lights.kinds", "Looks alone bring no lamps."
    if sheet.lights.environment:
        yield "lights.environment", "Looks alone bring no surroundings."
    if sheet.cameras.taken:
        yield "cameras.taken", "Looks alone bring no cameras."
    if sheet.lightmaps.taken:
        yield "lightmaps.taken", "Lightmaps need UVs of their own, and the meshes stand there already."
    if sheet.structure.slots != "kept":
        yield "structure.slots", "The meshes stand there already, with their slots."
    if sheet.structure.uv_sets == "none":
        yield "structure.uv_sets", "Images lie on the UVs of meshes that stand there already."
    if sheet.structure.variants:
        yield "structure.variants", "Looks alone do not say who wears which variant."
    if sheet.materials.colors_on_points:
        yield (
            "materials.colors_on_points",
            "The meshes stand there already; nothing is written on their points.",
        )
    if sheet.materials.two_sided == "never":
        yield "materials.two_sided", "Backs need faces of their own, and the meshes stand there already."
    if sheet.geometry.most_triangles:
        yield (
            "geometry.most_triangles",
            "The meshes stand there already, with as many triangles as they have.",
        )
    yield from faults_without_a_list(sheet)
