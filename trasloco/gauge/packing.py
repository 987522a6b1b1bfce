"""The boards of the gauge as packages in the layout of a sheet, with nothing converted: what is known of the
program stays out of them, for it is what is to be found.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from trasloco.at_rest import Bytes
from trasloco.destinations.importer import import_package
from trasloco.errors import Refused
from trasloco.fit.carry import carry_out
from trasloco.fit.planning import plan_move
from trasloco.gauge.alpha_places import by_alpha_elsewhere
from trasloco.gauge.build import Board
from trasloco.gauge.kinds import with_kinds_kept
from trasloco.handover.packing import pack_files
from trasloco.inputs.table import INPUTS
from trasloco.scene.model import Scene
from trasloco.sheets.layouts import has_geometry
from trasloco.sheets.library import sheet_named
from trasloco.sheets.model import Sheet
from trasloco.sheets.text import changed

_OPENED: tuple[tuple[str, Any], ...] = (
    ("images.power_of_two", False),
    ("images.largest", 0),
    ("images.kind", "png"),
    ("materials.alpha", ["opaque", "mask", "blend"]),
    ("materials.two_sided", "flag"),
    ("materials.vertex_color", "multiplies"),
    ("materials.texture_transform", True),
    ("materials.wraps", "any"),
    ("materials.cut_at", "any"),
    ("lights.kinds", ["sun", "point", "spot"]),
    ("lights.kinds", ["sun", "point", "spot", "rectangle", "disc"]),
    ("lights.most", 0),
    ("lights.sizes", True),
    ("lights.environment", True),
    ("lights.cone", "inner and outer"),
    ("cameras.taken", True),
    ("geometry.most_triangles", 0),
    ("lightmaps.taken", False),
    ("package.pictures", "none"),
    ("structure.uv_sets", "any"),
    ("structure.colors", True),
)
"""Lines that say what a program can do; the packages of a gauge ask for all of it, as far as the layout has
room.
"""


@dataclass(frozen=True)
class GaugePackage:
    """One board as it is handed over: its files, the scene that they say, and the sheet they are written by."""

    board: Board
    files: dict[str, Bytes]
    said: Scene
    sheet: Sheet


def opened(sheet: Sheet) -> Sheet:
    """A sheet of the same layout and conventions that takes everything its layout can hold."""
    made = sheet
    for path, value in _OPENED:
        made = _with(made, path, value)
    if made.structure.slots == "one a part":  # drawn anew, nothing would be as the boards have it
        made = _with(made, "structure.slots", "kept")
    made = _with_images(made)
    for name in INPUTS:
        if name not in made.materials.inputs and name not in ("height", "normal"):
            rules = {key: rule.model_dump() for key, rule in made.materials.inputs.items()}
            made = _with(made, "materials.inputs", {**rules, name: {}})
    for name in made.materials.inputs:
        rules = {key: rule.model_dump() for key, rule in made.materials.inputs.items()}
        made = _with(
            made, "materials.inputs", {**rules, name: {**rules[name], "value": True, "multiplies": True}}
        )
    return made


_PICTURED = ("base_color", "opacity", "emission", "normal", "roughness", "metalness", "occlusion")
"""Inputs that some prop has an image for."""


def _with_images(sheet: Sheet) -> Sheet:
    """With a place for an image of every such input, where the layout has one."""
    for name in _PICTURED:
        if sheet.materials.set_of(name) is not None:
            continue
        for channel in ("rgb",) if INPUTS[name].channels == 3 else ("r", "g", "b", "a"):
            held = [one.model_dump() for one in sheet.materials.sets]
            wider = _with(sheet, "materials.sets", [*held, {"name": name, "channels": {channel: name}}])
            if wider is not sheet:
                sheet = wider
                break
    return sheet


def _with(sheet: Sheet, path: str, value: Any) -> Sheet:
    """The sheet with a line set, or as it is where its layout leaves no choice."""
    try:
        return changed(sheet, {path: value})
    except Refused:
        return sheet


def packed(board: Board, sheet: Sheet) -> GaugePackage:
    """A board in the layout of a sheet.

    Raises:
        Refused: the sheet has no layout.
    """
    if sheet.layout is None:
        raise Refused(
            f"{sheet.name} is a source: nothing is written for it.",
            sheet.name,
            "Choose a sheet of a destination, or copy one whose packages your program reads.",
        )
    if not has_geometry(sheet):
        raise Refused(
            f"Packages for {sheet.name} hold looks alone, and a gauge is made of meshes and lamps.",
            sheet.name,
            "Choose another layout of the same program for it.",
        )
    meant, wide = by_alpha_elsewhere(board.scene, opened(sheet))
    plan = plan_move(meant, sheet_named("plain", "source"), wide, ())
    carried = carry_out(meant, with_kinds_kept(plan, meant, wide), wide)
    files = pack_files(carried, wide).files
    return GaugePackage(board, files, import_package(files, wide), wide)
