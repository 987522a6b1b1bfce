"""The two places where alpha may be: the fourth channel of the colour, or an image of its own. A sheet has one
of them; some cells of a gauge have theirs in the other one, where the layout has room for both.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace
from typing import Any, Literal

from trasloco.errors import Refused
from trasloco.gauge.build import cell_of
from trasloco.gauge.ladders import ELSEWHERE
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet
from trasloco.sheets.text import changed

AlphaPlace = Literal["fourth", "own"]
PLACES: tuple[AlphaPlace, ...] = ("fourth", "own")


def place_in(sheet: Sheet) -> AlphaPlace | None:
    """Where a sheet has alpha; None where it has no image for it."""
    held = sheet.materials.set_of("opacity")
    if held is None:
        return None
    return "fourth" if "base_color" in held[0].channels.values() else "own"


def sets_elsewhere(sheet: Sheet) -> list[dict[str, Any]] | None:
    """The image sets of a sheet with alpha in the other place; None where its layout has one place alone."""
    place = place_in(sheet)
    if place is None:
        return None
    sets = [one.model_dump() for one in sheet.materials.sets]
    for one in sets:
        one["channels"] = {c: name for c, name in one["channels"].items() if name != "opacity"}
    sets = [one for one in sets if one["channels"]]
    if place == "fourth":
        tries = [[*sets, {"name": "opacity", "channels": {channel: "opacity"}}] for channel in ("r", "a")]
    else:
        colored = next((one for one in sets if one["channels"].get("rgb") == "base_color"), None)
        if colored is None or "a" in colored["channels"]:
            return None
        colored["channels"]["a"] = "opacity"
        tries = [sets]
    return next((one for one in tries if _allowed(sheet, one)), None)


def _allowed(sheet: Sheet, sets: list[dict[str, Any]]) -> bool:
    try:
        changed(sheet, {"materials.sets": sets})
    except Refused:
        return False
    return True


def by_alpha_elsewhere(board: Scene, sheet: Sheet) -> tuple[Scene, Sheet]:
    """A board and the sheet that it is written by. With cells of :data:`ELSEWHERE` that is one with alpha in
    the other place; they are left out where the layout has but one.
    """
    if not any(cell_of(material.name) in ELSEWHERE for material in board.materials.values()):
        return board, sheet
    sets = sets_elsewhere(sheet)
    if sets is not None:
        return board, changed(sheet, {"materials.sets": sets})
    few = replace(
        board,
        nodes={id: node for id, node in board.nodes.items() if cell_of(node.name) not in ELSEWHERE},
        materials={id: m for id, m in board.materials.items() if cell_of(m.name) not in ELSEWHERE},
    )
    return few, sheet


def place_of(scene: Scene, cells: Collection[str]) -> AlphaPlace | None:
    """Where the materials of cells have their alpha, in what files say; None where they have none, or not all
    the same.
    """
    places = set[AlphaPlace]()
    for material in scene.materials.values():
        if cell_of(material.name) in cells and "opacity" in material.inputs:
            given, base = material.inputs["opacity"].texture, material.inputs["base_color"].texture
            if given is None or base is None:
                return None
            places.add("fourth" if given.image == base.image else "own")
    return places.pop() if len(places) == 1 else None
