"""The gauge as it is handed over: a folder a board, and a sheet that says how it is imported and which
pictures to bring back.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from trasloco.at_rest import Bytes
from trasloco.gauge import layout
from trasloco.gauge.boards import boards
from trasloco.gauge.build import Board
from trasloco.gauge.packing import GaugePackage
from trasloco.gauge.steps import SUN, SUN_LUX
from trasloco.handover.how_to_import import steps_of
from trasloco.sheets.model import Sheet

WIDTH, HEIGHT = 1280, 720
"""The size of pictures that are asked for."""


def folder_of(board: Board) -> str:
    return f"{list(boards()).index(board.key) + 1} {board.key}"


def steps_for(package: GaugePackage, sheet: Sheet) -> list[str]:
    """What to do with one board, in order."""
    # What is switched off is told for all boards at once, see AT_ALL.
    plain = sheet.model_copy(update={"after_effects": [], "materials": package.sheet.materials})
    return [
        *steps_of(package.files, package.said, plain),
        "Start from an empty scene: no lamp, no surroundings and no camera but those that come with it.",
        *_lamps_by_hand(package),
        *([package.board.by_hand] if package.board.by_hand else []),
        *([ROD] if package.board.key == "tones" else []),
        f"Take the picture through the camera that comes with it, {WIDTH} x {HEIGHT}."
        if package.said.cameras
        else f"Look at it from straight ahead, {layout.DISTANCE:.2f} m from its middle, with a vertical angle of {math.degrees(layout.YFOV_RAD):g} degrees, {WIDTH} x {HEIGHT}.",
    ]


def _lamps_by_hand(package: GaugePackage) -> list[str]:
    """What to do where lamps do not come with the files: one sun can be set, boxes with lamps tell
    nothing.
    """
    meant = package.board.scene.lights.values()
    if package.said.lights or not meant:
        return []
    if any(light.kind != "sun" for light in meant):
        return ["Its lamps do not come with these files: leave this board out."]
    right, up, ahead = SUN
    left, high = (
        math.degrees(math.atan2(-right, ahead)),
        math.degrees(math.atan2(up, math.hypot(right, ahead))),
    )
    return [
        f"Its sun does not come with these files: set one of {SUN_LUX:.2f} lux that stands {left:.0f} degrees left of where you look from and {high:.0f} degrees up."
    ]


ROD = "Look up how long the program shows the rod below the cells to be: it is one metre. Give that length with the pictures."

AT_ALL = (
    "A PNG as it is on screen tells how light is shown; an EXR of light alone tells strengths best. Either is enough.",
    "One exposure for all four pictures: automatic exposure, glow, darkening of corners and sharpening are off.",
    "The four grey steps at the upper left of every board are told apart, the brightest is not white.",
    "All fifteen ringed marks are in the picture. A screen capture will do; nothing may lie over the board.",
)


def read_me(packages: Mapping[str, GaugePackage], sheet: Sheet) -> str:
    """The sheet of instructions, plain text."""
    lines = [
        f"The gauge, in the layout of {sheet.name}",
        "",
        "Four boards with props of known colours, images, materials and lamps. Import each, take one picture of each,",
        "and bring the pictures back: they tell how the program reads what it is given.",
        "",
        *(f"* {line}" for line in AT_ALL),
    ]
    for package in packages.values():
        lines += ["", f"{folder_of(package.board)}: {package.board.title}", ""]
        lines += [f"  {k}. {step}" for k, step in enumerate(steps_for(package, sheet), 1)]
    return "\n".join(lines) + "\n"


def files_of(packages: Mapping[str, GaugePackage], sheet: Sheet) -> dict[str, Bytes]:
    """Everything that is handed over, by path."""
    made: dict[str, Bytes] = {"read me.txt": read_me(packages, sheet).encode()}
    for package in packages.values():
        folder = folder_of(package.board)
        made |= {f"{folder}/{path}": data for path, data in package.files.items()}
        around = package.board.scene.environment
        if around is not None and package.said.environment is None:
            image = package.board.scene.images[around.image]
            made[f"{folder}/{image.name}"] = image.data
    return made
