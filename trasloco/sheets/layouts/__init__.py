"""What package layouts leave a sheet no choice about. Every module here that has ``FACTS`` is a layout."""

from __future__ import annotations

from collections.abc import Iterator
from importlib import import_module
from pkgutil import iter_modules

from trasloco.sheets.layouts.facts import Fault, LayoutFacts
from trasloco.sheets.model import IN_BLOCKS, Sheet

_MODULES = [import_module(f"{__name__}.{one.name}") for one in iter_modules(__path__)]
LAYOUTS: dict[str, LayoutFacts] = {
    module.FACTS.name: module.FACTS for module in _MODULES if hasattr(module, "FACTS")
}
"""By name, as sheets name them."""


def fault_of_layout(sheet: Sheet) -> Fault | None:
    """The path of the first line that the sheet's layout cannot keep, and why; None when it can keep all."""
    if sheet.images.kind == "jpg" and any("a" in one.channels for one in sheet.materials.sets):
        return "images.kind", "JPEG has no fourth channel; give opacity an image of its own, or take PNG."
    if sheet.images.kind in IN_BLOCKS and not sheet.images.power_of_two:
        return (
            "images.kind",
            f"{sheet.images.kind.upper()} images are made of blocks of 4 × 4 texels; ask for powers of two as well.",
        )
    if sheet.layout is None:
        return None
    if sheet.layout not in LAYOUTS:
        return "layout", f"There is no layout called {sheet.layout}; take {', '.join(sorted(LAYOUTS))}."
    facts = LAYOUTS[sheet.layout]
    if sheet.package.form not in ("usual", *facts.forms):
        return "package.form", f"This layout is written as {' or '.join(facts.forms)}."
    if sheet.lights.unit == "lumen and lux" and not facts.lumens:
        return "lights.unit", "The formats of this layout say what their lamps' numbers are in."
    if sheet.cameras.shift and not facts.shifts:
        return "cameras.shift", "Cameras in this layout look at the middle of their frame."
    if sheet.structure.obstacles == "shapes" and not facts.obstacles:
        return "structure.obstacles", "This layout has no place for shapes that are not drawn."
    for path, kinds in (("images.kind", (sheet.images.kind,)), ("images.also", sheet.images.also)):
        if not {*kinds} <= {*facts.images}:
            return path, f"Readers of this layout take {', '.join(facts.images).upper()}."
        if sheet.package.form == "usdz" and not {*kinds} <= {"png", "jpg"}:
            return path, "A usdz package takes PNG and JPEG."
    if sheet.package.networks == "alone" and not facts.networks:
        return "package.networks", "This layout has no networks with a preview surface beside them."
    if sheet.package.files not in facts.files:
        return "package.files", f"This layout has {' or '.join(_FILES[one] for one in facts.files)}."
    return next(facts.faults(sheet), None) or next(_without_places(sheet), None)


def _without_places(sheet: Sheet) -> Iterator[Fault]:
    """What has no meaning any more where points are written as they stand in the world, and what needs
    that.
    """
    rules = sheet.structure
    if rules.slots == "one a part":
        if rules.uv_sets == "none":
            yield "structure.uv_sets", "What is drawn for a part lies on a UV set."
        if rules.variants:
            yield "structure.variants", "A part with one material of its own has no others to choose from."
        if sheet.materials.colors_on_points:
            yield "materials.colors_on_points", "What is drawn for a part is in images."
    if rules.pivots:
        if rules.slots not in ("kept", "one a part"):
            yield "structure.slots", "Slots become one only where points are written as they stand."
        return
    for name, there in (
        ("groups", rules.groups),
        ("instances", rules.instances),
        ("tangents", rules.tangents),
        ("motion", bool(rules.motion)),
    ):
        if there:
            yield f"structure.{name}", "Where points are written as they stand there is none of it."


def form_of(sheet: Sheet) -> str:
    """The form that a sheet's packages are written in; ``usual`` where its layout has but one."""
    forms = LAYOUTS[sheet.layout].forms if sheet.layout in LAYOUTS else ()
    return forms[0] if sheet.package.form == "usual" and forms else sheet.package.form


def has_geometry(sheet: Sheet) -> bool:
    """Whether a sheet's packages hold meshes; else looks alone, for what stands at the destination
    already.
    """
    return sheet.layout not in LAYOUTS or LAYOUTS[sheet.layout].geometry


def images_alone(sheet: Sheet) -> bool:
    """Whether a sheet's packages are image files and nothing else, so that numbers have to be images too."""
    return not has_geometry(sheet) and speaks(sheet, "none")


def kinds_of_image(sheet: Sheet) -> tuple[str, ...]:
    """Kinds of image that readers of a sheet's formats take."""
    return LAYOUTS[sheet.layout].images if sheet.layout in LAYOUTS else ()


def in_one_piece(sheet: Sheet) -> bool:
    """Whether a sheet's packages are one mesh of everything, that tells no part from another."""
    points = sheet.layout in LAYOUTS and LAYOUTS[sheet.layout].points
    return points and sheet.package.files == "one"


_FILES = {
    "one": "one file for everything",
    "one a part": "a file for each part",
    "one a material": "a file for each material",
}


def speaks(sheet: Sheet, materials: str) -> bool:
    """Whether a sheet's packages hold materials in the terms of ``gltf`` or ``openpbr``."""
    return sheet.layout in LAYOUTS and LAYOUTS[sheet.layout].materials == materials
