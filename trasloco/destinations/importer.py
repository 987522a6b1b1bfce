"""The importer that stands in for every destination: what a package's layout says, under the rules and habits
of a sheet.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from trasloco.at_rest import Bytes
from trasloco.destinations.layouts import layout_of
from trasloco.destinations.standing import put_on
from trasloco.errors import Refused
from trasloco.scene.images import Image
from trasloco.scene.lit import Light
from trasloco.scene.model import Input, Material, Scene
from trasloco.sheets.layouts import has_geometry
from trasloco.sheets.model import Sheet


def import_package(files: Mapping[str, Bytes], sheet: Sheet, standing: Scene | None = None) -> Scene:
    """What a destination makes of a package's bytes: inputs it does not know are passed over, images it does
    not take are dropped, see-through and sides are drawn as it can, the strongest lamps stay. Looks alone are
    put on what is ``standing`` there.

    Raises:
        Refused: the sheet has no layout, the files are not of it, or nothing stands there for looks alone.
    """
    layout = layout_of(sheet)
    alone = not has_geometry(sheet)
    if alone and standing is None:
        raise Refused(
            "These packages hold looks alone, for meshes that stand there already.",
            sheet.name,
            "Choose a sheet whose packages hold meshes too.",
        )

    def takes(image: Image) -> bool:
        """Whether an image is of a size that the destination takes."""
        sides, rules = (image.width, image.height), sheet.images
        odd = rules.power_of_two and any(side & (side - 1) for side in sides)
        return image.usable and not odd and max(sides) <= (rules.largest or max(sides))

    scene = layout.read(files, sheet, takes)
    if standing is not None and alone:
        scene = put_on(standing, scene, sheet)
    refused = {id for id, image in scene.images.items() if not takes(image)}
    rules = sheet.materials
    known = layout.always | {*rules.inputs, *(name for s in rules.sets for name in s.channels.values())}
    materials = {id: _as_drawn(m, known, refused, sheet) for id, m in scene.materials.items()}
    return replace(
        scene,
        materials=materials,
        lights=scene.lights if alone else _lamps(scene, sheet),
        environment=scene.environment if sheet.lights.environment or alone else None,
    )


def _as_drawn(material: Material, known: frozenset[str], refused: set[str], sheet: Sheet) -> Material:
    rules = sheet.materials
    inputs = {
        name: _taken(given, refused, rules.vertex_color == "multiplies")
        for name, given in material.inputs.items()
        if name in known
    }
    return replace(
        material,
        inputs=inputs,
        alpha_mode=material.alpha_mode if material.alpha_mode in rules.alpha else "opaque",
        unlit=False,
        double_sided=rules.two_sided == "always" or (rules.two_sided == "flag" and material.double_sided),
    )


def _taken(given: Input, refused: set[str], painted: bool) -> Input:
    if given.texture is not None and given.texture.image in refused:
        given = replace(given, texture=None)
    return given if painted or not given.vertex_color else replace(given, vertex_color=False)


def _lamps(scene: Scene, sheet: Sheet) -> dict[str, Light]:
    """Lamps of kinds that the destination has, the strongest where it takes only so many."""
    had = [light for light in scene.lights.values() if light.kind in sheet.lights.kinds]
    if sheet.lights.most:
        had = sorted(had, key=lambda light: -light.intensity)[: sheet.lights.most]
    return {light.id: light for light in had}
