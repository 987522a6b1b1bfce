"""What a gauge told, as a sheet of one's own: lines that were measured are set, all others stay as they
were.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.gauge.alpha_places import PLACES, sets_elsewhere
from trasloco.gauge.curve import Measured
from trasloco.gauge.kinds import DEEP, KINDS, kind_cell
from trasloco.gauge.lengths import SHRINK
from trasloco.gauge.lines import BY_LINE, LINES
from trasloco.gauge.numbers import Number
from trasloco.gauge.reading import Readings
from trasloco.gauge.telling import Told
from trasloco.gauge.tones import ODD, TALL
from trasloco.proof.effects import MIDDLE_GREY
from trasloco.sheets.meanings import Meanings, ToneCurve
from trasloco.sheets.model import AfterEffect, Sheet
from trasloco.sheets.text import changed

CURVE_NAME = "the tone curve that was measured"
_OFF = 0.02
"""A lamp below this share of its strength did not come in."""
STRENGTH_WITHIN, ROUGHNESS_WITHIN, TURN_WITHIN_DEG = 0.03, 0.02, 0.5
"""A number counts as told where it lies no farther off: a strength as a share, the roughness that stands for
a written one, a turn.
"""
_LEAST_POWER = 0.03
"""A power of roughness nearer to one than this is one."""
_MODES = {"cut": "mask", "blended": "blend"}

LOOKED_UP = 1.0
"""In place of a confidence where somebody looked a length up: nothing is estimated, see :data:`BY_HAND`."""
BY_HAND = frozenset({"conventions.unit_m", "meanings.readings.lengths"})
"""Lines that are told by the rod, as it was looked up."""
_NONE: Mapping[str, Any] = MappingProxyType({})

GAUGED = frozenset(
    {line.path for line in LINES if line.path and not line.path.startswith("materials.inputs")}
    | {
        "materials.inputs",
        "materials.alpha",
        "images.power_of_two",
        "images.largest",
        "images.kind",
        "images.also",
        "images.depth",
        "lights.kinds",
        "lights.environment",
        "conventions.up_axis",
        "conventions.unit_m",
    }
)
"""Lines of a sheet that a gauge can tell."""


def came_in(strength: Number) -> bool:
    """Whether a lamp, or the surroundings, light anything."""
    return strength.value > _OFF


def sheet_of(base: Sheet, name: str, found: Readings, rod: float | None = None) -> Sheet:
    """The sheet ``base`` under another name, with everything that pictures of the gauge told.

    A line that the layout leaves no choice about stays as it is and unmarked; how it is taken all the same is
    kept among the meanings, as is every reading that no line of a sheet has a value for. ``rod`` is how many
    times as long as it is the program makes the rod, where that was measured there.
    """
    made = _Making(base.model_copy(update={"name": name, "role": "destination"}))
    told = {line.key: line for line in found.lines if line.state == "measured"}
    for line in told.values():
        if line.path.startswith("materials.inputs."):
            made.take_input(line)
        elif line.path:
            made.take(line.path, line.value, line)
        elif not line.key.startswith("size") and not BY_LINE[line.key].kept and not BY_LINE[line.key].alpha:
            made.mean(line)
    _alpha(made, told)
    _images(made, told)
    _lights(made, found)
    _axis(made, found)
    meanings = _meanings(made, found, _unit(made, rod))
    curve, effects = meanings.curve, [one for one in base.after_effects if one.name != CURVE_NAME]
    if curve.stops:
        shows = f"the curve {curve.formula}" if curve.formula else "a curve of its own"
        effects.append(
            AfterEffect(name=CURVE_NAME, does=f"Shows light by {shows}.", acts="tone curve", curve=curve)
        )
    measured = {path: round(sure, 3) for path, sure in made.measured.items()}
    return made.sheet.model_copy(
        update={"meanings": meanings, "measured": measured, "after_effects": effects}
    )


@dataclass
class _Making:
    """A sheet in the making: what was measured of which path, and how lines are taken that no value says."""

    sheet: Sheet
    measured: dict[str, float] = field(default_factory=dict)
    readings: dict[str, str] = field(default_factory=dict)

    def set(self, path: str, value: Any, sure: float, beside: Mapping[str, Any] = _NONE) -> bool:
        """Whether a line could be set, with others that follow from it; of one that several tell, the least
        sure counts.
        """
        try:
            self.sheet = changed(self.sheet, {**beside, path: value})
        except Refused:
            return False
        self.measured[path] = min(sure, self.measured.get(path, 1.0))
        return True

    def take(self, path: str, value: Any, line: Told) -> None:
        if not self.set(path, value, line.confidence):
            self.mean(line)

    def take_input(self, line: Told) -> None:
        """An input that is read or not, or whose number multiplies its image."""
        name = line.path.split(".")[2]
        rules = {key: rule.model_dump() for key, rule in self.sheet.materials.inputs.items()}
        if line.path.endswith(".multiplies"):
            rules[name] = {**rules.get(name, {}), "multiplies": bool(line.value)}
        elif line.value:
            rules.setdefault(name, {})
        else:
            rules.pop(name, None)
        self.take("materials.inputs", rules, line)

    def mean(self, line: Told) -> None:
        """Keep how a line is taken, where that is not as the files say."""
        self.measured[f"meanings.readings.{line.key}"] = line.confidence
        if str(BY_LINE[line.key].readings[0].value) != str(line.value):
            self.readings[line.key] = str(line.value)

    def forget(self, key: str) -> None:
        """Of how a line is taken, nothing was seen after all."""
        self.measured.pop(f"meanings.readings.{key}", None)
        self.readings.pop(key, None)


def _alpha(made: _Making, told: Mapping[str, Told]) -> None:
    if not any(key in told for key in _MODES):
        return
    found = {key: told.get(key) for key in _MODES}
    if not any(_drawn(line) for line in found.values()):
        # Not where the sheet has it: is it read in the other place?
        other = {key: told[f"{key}{at}"] for key in _MODES for at in PLACES if f"{key}{at}" in told}
        sets = sets_elsewhere(made.sheet) if any(map(_drawn, other.values())) else None
        if sets is not None:
            made.set("materials.sets", sets, min(line.confidence for line in other.values()))
            # Nothing of what was seen in the old place is so in the new one.
            found = {key: other.get(key) for key in _MODES}
            for key, seen in found.items():
                made.forget(key)
                if seen is not None:
                    made.mean(replace(seen, key=key))
    modes = ["opaque"]
    for key, mode in _MODES.items():
        line = found[key]
        drawn = mode in made.sheet.materials.alpha if line is None else line.value != "opaque"
        modes += [mode] if drawn else []
    made.set("materials.alpha", modes, min(line.confidence for line in found.values() if line is not None))


def _drawn(line: Told | None) -> bool:
    return line is not None and line.value != "opaque"


def _images(made: _Making, told: Mapping[str, Told]) -> None:
    odd = told.get(f"size{ODD[0]}")
    if odd is not None:
        made.set("images.power_of_two", not odd.value, odd.confidence)
    sizes = [told[f"size{side}"] for side in TALL if f"size{side}" in told]
    if len(sizes) == len(TALL):
        taken = [side for side, line in zip(TALL, sizes, strict=True) if line.value]
        largest = 0 if len(taken) == len(TALL) else max(taken, default=TALL[0] // 2)
        made.set("images.largest", largest, min(line.confidence for line in sizes))

    _kind_and_depth(made, told)
    _other_kinds(made, told)


def _other_kinds(made: _Making, told: Mapping[str, Told]) -> None:
    """What is read beside its own kind, PNG as most of the boards are; what was not seen stays as it was said,
    and unmarked.
    """
    seen = {kind: told[kind_cell(kind)] for kind in KINDS if kind != "exr" and kind_cell(kind) in told}
    if not seen:
        return
    own, said = made.sheet.images.kind, set(made.sheet.images.also) - {*seen, "png"}
    read = {"png", *said, *(kind for kind, line in seen.items() if line.value)} - {own}
    if made.set("images.also", sorted(read), min(line.confidence for line in seen.values())) and said:
        del made.measured["images.also"]


def _kind_and_depth(made: _Making, told: Mapping[str, Told]) -> None:
    """Kept where they are taken; else PNG, as all other images of the boards are, and eight bits."""
    line = told.get(kind_cell(made.sheet.images.kind))
    if line is not None and line.value:
        made.measured["images.kind"] = line.confidence
    elif line is not None:
        made.set("images.kind", "png", line.confidence, _PLAIN)
    deep = told.get(DEEP)
    if deep is not None and (made.sheet.images.depth == 16 or not deep.value):
        made.set("images.depth", made.sheet.images.depth if deep.value else 8, deep.confidence)


def _axis(made: _Making, found: Readings) -> None:
    """Which way is up, by how boards lie against the surroundings. What is tipped was read by another
    axis.
    """
    lies = found.surroundings
    if lies is None or not lies.sure:
        return
    written = made.sheet.conventions.in_files[0]
    axis = written if lies.up == "as written" else _TIPPED_TO.get((written, lies.up))
    if axis == written:
        made.measured["conventions.up_axis"] = lies.confidence
    elif axis is None or not made.set("conventions.up_axis", axis, lies.confidence):
        made.readings["up"] = lies.up
        made.measured["meanings.readings.up"] = lies.confidence
    else:
        made.set("conventions.space", "converted", lies.confidence)


_PLAIN = {"images.loss": 0.0, "images.basis": "uastc", "images.blocks": "finest"}
"""How images are written whose kind leaves no choice."""
_TIPPED_TO = {("Y", "tipped back"): "Z", ("Z", "tipped forward"): "Y"}
"""The axis that a program takes for up, by the one that files are written in and how boards lie then."""


def _unit(made: _Making, rod: float | None) -> float:
    """Set the unit by the rod; by how many times that makes lengths shorter."""
    if rod is None:
        return 1.0
    written = made.sheet.conventions.in_files[1]
    if rod == 1:
        made.measured["conventions.unit_m"] = LOOKED_UP
        return 1.0
    if made.set("conventions.unit_m", float(f"{written * rod:.6g}"), LOOKED_UP):
        made.set("conventions.space", "converted", LOOKED_UP)
        return rod
    made.readings["lengths"] = f"{rod:.4g}"
    made.measured["meanings.readings.lengths"] = LOOKED_UP
    return 1.0


def _lights(made: _Making, found: Readings) -> None:
    kinds = {kind: number for kind, number in found.strengths.items() if kind != "surroundings"}
    if kinds:
        there = [kind for kind, number in kinds.items() if came_in(number)]
        made.set("lights.kinds", there, min(number.side_of(_OFF) for number in kinds.values()))
    around = found.strengths.get("surroundings")
    if around is not None:
        made.set("lights.environment", came_in(around), around.side_of(_OFF))


def _meanings(made: _Making, found: Readings, cured: float) -> Meanings:
    """Numbers that no line has, each with how likely it is told within what counts. Lengths that were
    ``cured`` times too long took light from points and spots, and do no longer.
    """
    power, lies = found.roughness, found.surroundings
    strengths = {kind: number for kind, number in found.strengths.items() if came_in(number)}
    for kind, number in strengths.items():
        made.measured[f"meanings.strengths.{kind}"] = number.within(STRENGTH_WITHIN * number.value)
    meant: dict[str, Any] = {}
    if power is not None:
        # r^p changes most with p where r = e^(-1/p): by 1 / (e p).
        made.measured["meanings.roughness_power"] = power.within(ROUGHNESS_WITHIN * math.e * power.value)
        if abs(power.value - 1) > max(2 * power.unsure, _LEAST_POWER):
            meant["roughness_power"] = round(power.value, 3)
    if lies is not None and lies.sure:
        turn = Number(lies.turn_deg, math.degrees(lies.unsure_rad))
        made.measured["meanings.turn_deg"] = turn.within(TURN_WITHIN_DEG)
        meant |= {"turn_deg": round(turn.value, 2), "mirrored": lies.mirrored}
    lamps = {
        kind: float(f"{number.value * (cured**2 if kind in SHRINK else 1):.4g}")
        for kind, number in strengths.items()
    }
    curve = _curve(found.curve)
    if curve.stops:
        made.measured["meanings.curve"] = found.curve.held
    return Meanings(
        strengths=lamps,  # type: ignore[arg-type]
        readings=made.readings,
        curve=curve,
        **meant,
    )


def _curve(curve: Measured) -> ToneCurve:
    """The curve with its stops counted from middle grey, rising from step to step."""
    stops: list[float] = []
    shown: list[float] = []
    knots, light = curve.knots()
    for stop, y in zip(knots - np.log2(MIDDLE_GREY), light, strict=True):
        if not shown or y > shown[-1] + 1e-6:
            stops.append(round(float(stop), 4))
            shown.append(round(float(y), 6))
    return ToneCurve(stops=stops, shown=shown, by=curve.by, formula=curve.formula)  # type: ignore[arg-type]
