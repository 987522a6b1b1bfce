"""Pictures of the gauge read: every line of a sheet that they tell, how sure that is, and by what it is
seen.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from trasloco.errors import Refused
from trasloco.gauge.boards import boards as boards_of_gauge
from trasloco.gauge.curve import Measured, measured
from trasloco.gauge.expected import Expected
from trasloco.gauge.lines import LINES
from trasloco.gauge.numbers import (
    Lies,
    Number,
    exposure,
    how_surroundings_lie,
    lamp_strength,
    roughness_power,
    sun_strength,
)
from trasloco.gauge.patches import Seen, likeness, patches, seen
from trasloco.gauge.telling import Told, told, unseen
from trasloco.outside.showing import Floats
from trasloco.progress import Progress, silent
from trasloco.scene.color import linear_to_srgb

_BOARD = 0.73
"""From which likeness on a picture shows a board."""
_NEIGHBOURS = 0.06
"""The share of a lamp's light that may come from the boxes beside its own, where no wall throws a shadow."""
_ALIKE, _MOST_OFF = 0.04, 4.0
"""How far codes of what glows alike may lie apart, and the mean ΔE up to which a power of roughness is
believed.
"""


@dataclass(frozen=True)
class Readings:
    """Everything that pictures of the gauge say.

    Attributes:
        curve: how light is shown. stops: by board, by how much its picture is exposed more than the curve's.
        strengths: of lamps by kind and of surroundings, against what glows. roughness: the power it is taken
        to.
        surroundings: how they lie. lines: what is told of each, in the order of the boards.
        boards: how each board lies in its picture. doubts: what does not fit together, in sentences.
    """

    curve: Measured
    stops: Mapping[str, Number]
    strengths: Mapping[str, Number]
    roughness: Number | None
    surroundings: Lies | None
    lines: tuple[Told, ...]
    boards: Mapping[str, Seen]
    doubts: tuple[str, ...] = field(default=())


def read(
    pictures: Mapping[str, Floats], known: Mapping[str, Expected], progress: Progress = silent
) -> Readings:
    """Read pictures by board, (H, W, 3) display light, against how each board looks by every reading.

    Raises:
        Refused: a board is not found in its picture, or nothing in it tells light from dark.
    """
    boards: dict[str, Seen] = {}
    for at, (board, display) in enumerate(pictures.items()):
        progress(0.6 * at / len(pictures), f"looking for the marks of {_title(board)}")
        try:
            boards[board] = seen(board, display, known[board].width)
        except Refused as error:
            raise Refused(error.what, f"{_title(board)}, {error.where}", error.remedy) from None
    alike = _alike(boards, known)
    curve = _curve(boards, known)
    progress(0.7, "how light is shown")
    stops = {
        board: found
        for board, one in boards.items()
        if (found := exposure(curve, known[board], one.picture)) is not None
    }
    strengths, sun = _sun(curve, boards, known, stops)
    rough = lies = None
    if "shine" in boards:
        rough = roughness_power(curve, known["shine"], boards["shine"], _stops(stops, "shine"), sun)
    progress(0.8, "how the surroundings lie")
    if "around" in boards:
        lies = how_surroundings_lie(curve, known["around"], boards["around"], _stops(stops, "around"))
        if lies is not None:
            strengths["surroundings"] = lies.level
    lines = tuple(
        told(line, curve, boards[line.board], known[line.board], _stops(stops, line.board), sun)
        if line.board in boards
        else unseen(line)
        for line in LINES
        if line.key != "roughness"
    )
    strengths |= _lamps(curve, boards, known, stops, lines)
    return Readings(
        curve,
        stops,
        strengths,
        rough[0] if rough is not None and rough[1] < _MOST_OFF else None,
        lies,
        lines,
        boards,
        tuple(_doubts(boards, stops, alike, lines)),
    )


def _title(board: str) -> str:
    """A board as it is called on screen, in quotes."""
    return f"“{boards_of_gauge()[board].title}”"


def _stops(stops: Mapping[str, Number], board: str) -> float:
    return stops[board].value if board in stops else 0.0


def _curve(boards: Mapping[str, Seen], known: Mapping[str, Expected]) -> Measured:
    """The curve by the ramp where that was brought back, else by the steps of any board."""
    first = "tones" if "tones" in boards else next(iter(boards))
    one, picture = known[first], boards[first].picture
    meant = one.base
    if first == "tones" and _strength_passed_over(one, picture):
        meant = one.read_as("strength", 1)
    nit = patches(one, meant[0], ("step", "ramp")).mean(axis=1)
    shown = patches(one, picture, ("step", "ramp")).mean(axis=1)
    colors = None
    if first == "tones":
        colors = (patches(one, meant[0], ("shining",)), patches(one, picture, ("shining",)))
    made = measured(nit[nit > 0], shown[nit > 0], colors) if (nit > 0).sum() >= 4 else None
    if made is None:
        # What glows may not be read: grey sheets in the sun tell the curve as well, over fewer stops.
        lit = patches(one, one.base[1], ("grey",)).mean(axis=1)
        made = measured(lit, patches(one, picture, ("grey",)).mean(axis=1)) if len(lit) else None
    if made is None:
        raise Refused(
            "Light and dark steps look alike in this picture.",
            _title(first),
            "Look whether emission and lamps came in, choose an exposure by which the four steps at the upper left are apart, and bring it back again.",
        )
    return made


def _strength_passed_over(one: Expected, picture: Floats) -> bool:
    """Whether patches that glow alike by colour and strength together look otherwise: no curve is needed for
    that.
    """
    if one.crops.get("strength", (None,))[-1] is None:
        return False
    shown = linear_to_srgb(patches(one, picture, ("strength",)).clip(0, 1))
    return bool(np.ptp(shown.mean(axis=1)) > _ALIKE)


def _sun(
    curve: Measured, boards: Mapping[str, Seen], known: Mapping[str, Expected], stops: Mapping[str, Number]
) -> tuple[dict[str, Number], float]:
    for board in ("tones", "shine"):
        if board in boards:
            found = sun_strength(curve, known[board], boards[board].picture, _stops(stops, board))
            if found is not None:
                return {"sun": found}, found.value
    return {}, 1.0


def _lamps(
    curve: Measured,
    boards: Mapping[str, Seen],
    known: Mapping[str, Expected],
    stops: Mapping[str, Number],
    lines: Sequence[Told],
) -> dict[str, Number]:
    """Strengths of lamps by kind; of spots and points as their edges and their falling off were read."""
    if "lamps" not in boards:
        return {}
    one, mine = known["lamps"], boards["lamps"]
    made: dict[str, Number] = {}
    looks: dict[str, Floats] = {}
    values = {each.key: each.value for each in lines if each.state != "not seen"}
    for line in LINES:
        if line.key in ("cone", "fading") and line.key in values:
            at = [reading.value for reading in line.readings].index(values[line.key])
            looks |= one.crops[line.key][at] or {}
    for cell in ("point", "spot", "rectangle", "disc"):
        if cell in one.lamps and mine.reaches(one.cells[cell]):
            shown = mine.cell(one.cells[cell])
            found = lamp_strength(curve, looks.get(cell, one.cell(cell)), shown, _stops(stops, "lamps"))
            if found is not None:
                off = _NEIGHBOURS * found.value if values.get("shadows") is False else 0.0
                made[one.lamps[cell]] = Number(found.value, math.hypot(found.unsure, off))
    return made


def _alike(boards: Mapping[str, Seen], known: Mapping[str, Expected]) -> dict[str, float]:
    """How much each picture looks like its board. Raises Refused where it looks more like another."""
    made = {}
    for board, mine in boards.items():
        to = {other: likeness(one, mine) for other, one in known.items()}
        best = max(to, key=lambda other: to[other])
        if best != board and to[best] >= _BOARD:
            raise Refused(
                f"This is a picture of {_title(best)}, given for {_title(board)}.",
                _title(board),
                "Take it away there, and give it where it belongs.",
            )
        made[board] = to[board]
    return made


def _doubts(
    boards: Mapping[str, Seen],
    stops: Mapping[str, Number],
    alike: Mapping[str, float],
    lines: Sequence[Told],
) -> list[str]:
    made = [
        f"The picture of {_title(board)} looks little like it: is it of another, or did lamps or images not come in?"
        for board, found in alike.items()
        if found < _BOARD
    ]
    bright = {board: number.value for board, number in stops.items()}
    if bright and max(bright.values()) - min(bright.values()) > 0.1:
        said = ", ".join(f"{_title(board)} {value:+.1f}" for board, value in bright.items())
        made.append(
            f"The pictures were shown at different exposures ({said} stops): look for automatic exposure, and pin it."
        )
    for board, number in stops.items():
        if number.unsure > 0.25:
            made.append(f"The picture of {_title(board)} was shown by another curve than the others.")
    if any(line.key == "shadows" and line.value is False for line in lines):
        made.append(
            "Lamps throw no shadows there, so that a box is lit by its neighbours too: their strengths may be a few in a hundred lower than told."
        )
    for board, one in boards.items():
        if board not in stops:
            made.append(f"The steps of glow are not seen in the picture of {_title(board)}.")
        if one.lies.mirrored:
            made.append(f"The picture of {_title(board)} shows it mirrored.")
    return made
