"""What a gauge told, as a sheet of one's own: lines that were measured are set, all others stay as they were."""

from __future__ import annotations

from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.gauge.curve import Measured
from trasloco.gauge.lines import LINES
from trasloco.gauge.reading import Readings
from trasloco.gauge.telling import Told
from trasloco.gauge.tones import ODD, TALL
from trasloco.sheets.meanings import Meanings, ToneCurve
from trasloco.sheets.model import AfterEffect, Sheet
from trasloco.sheets.text import changed

CURVE_NAME = "the tone curve that was measured"
_NUMBER = 0.95
"""The confidence that is told of a number whose spread is small."""
_OFF = 0.02
"""A lamp below this share of its strength did not come in."""
_MIDDLE_GREY = 0.18

GAUGED = frozenset(
    {line.path for line in LINES if line.path and not line.path.startswith("materials.inputs")}
    | {
        "materials.inputs",
        "materials.alpha",
        "images.power_of_two",
        "images.largest",
        "lights.kinds",
        "lights.environment",
    }
)
"""Lines of a sheet that a gauge can tell."""


def sheet_of(base: Sheet, name: str, found: Readings) -> Sheet:
    """The sheet ``base`` under another name, with everything that pictures of the gauge told.

    A line that the layout leaves no choice about stays; how it is taken all the same is kept among the meanings.
    """
    told = {line.key: line for line in found.lines if line.state == "measured"}
    made = base.model_copy(update={"name": name, "role": "destination"})
    measured: dict[str, float] = {}
    readings: dict[str, str] = {}
    for path, value, line in _lines(base, told):
        try:
            made = changed(made, {path: value})
        except Refused:
            readings[line.key] = str(line.value)
        measured[path] = round(line.confidence, 3)
    for path, value, sure in _lights(found):
        try:
            made = changed(made, {path: value})
        except Refused:
            continue
        measured[path] = sure
    for key, line in told.items():
        if not line.path and not key.startswith("size") and key not in ("cut", "blended"):
            measured[f"meanings.readings.{key}"] = round(line.confidence, 3)
            if not _as_written(line):
                readings[key] = str(line.value)
    meanings, sure_of = _meanings(found, readings)
    measured.update(sure_of)
    effects = [one for one in made.after_effects if one.name != CURVE_NAME]
    curve = _curve(found.curve)
    if curve.stops:
        effects.append(
            AfterEffect(
                name=CURVE_NAME,
                does=f"Shows light by {'the curve ' + curve.formula if curve.formula else 'a curve of its own'}.",
                acts="tone curve",
                curve=curve,
            )
        )
        measured["meanings.curve"] = _NUMBER
    return made.model_copy(update={"meanings": meanings, "measured": measured, "after_effects": effects})


def _as_written(line: Told) -> bool:
    return next(str(one.readings[0].value) for one in LINES if one.key == line.key) == str(line.value)


def _lines(base: Sheet, told: dict[str, Told]) -> list[tuple[str, Any, Told]]:
    """Lines of the sheet, what they are set to, and what says so."""
    made: list[tuple[str, Any, Told]] = []
    inputs = {name: rule.model_dump() for name, rule in base.materials.inputs.items()}
    for line in told.values():
        if line.path.startswith("materials.inputs."):
            name = line.path.split(".")[2]
            if line.path.endswith(".multiplies"):
                inputs[name] = {**inputs.get(name, {}), "multiplies": bool(line.value)}
            elif line.value:
                inputs.setdefault(name, {})
            else:
                inputs.pop(name, None)
            made.append(("materials.inputs", dict(inputs), line))
        elif line.path and not (line.key == "green" and line.value == "none") and line.path != "lights.cone":
            made.append((line.path, line.value, line))
    cone = told.get("cone")
    if cone is not None and cone.value in ("inner and outer", "outer only"):
        made.append(("lights.cone", cone.value, cone))
    both = [told[key] for key in ("cut", "blended") if key in told]
    if both:
        alpha = ["opaque"]
        for key, mode in (("cut", "mask"), ("blended", "blend")):
            there = told[key].value == mode if key in told else mode in base.materials.alpha
            alpha += [mode] * bool(there)
        made.append(("materials.alpha", alpha, min(both, key=lambda line: line.confidence)))
    odd = told.get(f"size{ODD[0]}")
    if odd is not None:
        made.append(("images.power_of_two", not odd.value, odd))
    sizes = [told[f"size{side}"] for side in TALL if f"size{side}" in told]
    if len(sizes) == len(TALL):
        taken = [side for side, line in zip(TALL, sizes, strict=True) if line.value]
        largest = 0 if len(taken) == len(TALL) else max(taken, default=TALL[0] // 2)
        made.append(("images.largest", largest, min(sizes, key=lambda line: line.confidence)))
    return made


def _lights(found: Readings) -> list[tuple[str, Any, float]]:
    kinds = {kind: number for kind, number in found.strengths.items() if kind != "surroundings"}
    made: list[tuple[str, Any, float]] = []
    if kinds:
        made.append(
            ("lights.kinds", [kind for kind, number in kinds.items() if number.value > _OFF], _NUMBER)
        )
    if "surroundings" in found.strengths:
        made.append(("lights.environment", found.strengths["surroundings"].value > _OFF, _NUMBER))
    return made


def _meanings(found: Readings, readings: dict[str, str]) -> tuple[Meanings, dict[str, float]]:
    sure: dict[str, float] = {}
    power, turn, mirrored = 1.0, 0.0, False
    if found.roughness is not None:
        sure["meanings.roughness_power"] = _NUMBER
        if abs(found.roughness.value - 1) > max(2 * found.roughness.unsure, 0.03):
            power = round(found.roughness.value, 3)
    strengths = {kind: round(one.value, 4) for kind, one in found.strengths.items() if one.value > _OFF}
    if strengths:
        sure["meanings.strengths"] = _NUMBER
    lies = found.surroundings
    if lies is not None and lies.sure:
        sure["meanings.turn_deg"] = sure["meanings.mirrored"] = _NUMBER
        turn, mirrored = round(lies.turn_deg, 2), lies.mirrored
    return (
        Meanings(
            roughness_power=power,
            strengths=strengths,  # type: ignore[arg-type]
            turn_deg=turn,
            mirrored=mirrored,
            readings=readings,
            curve=_curve(found.curve),
        ),
        sure,
    )


def _curve(curve: Measured) -> ToneCurve:
    """The curve with its stops counted from middle grey, rising from step to step."""
    stops: list[float] = []
    shown: list[float] = []
    knots, light = curve.knots()
    for stop, y in zip(knots - np.log2(_MIDDLE_GREY), light, strict=True):
        if not shown or y > shown[-1] + 1e-6:
            stops.append(round(float(stop), 4))
            shown.append(round(float(y), 6))
    return ToneCurve(stops=stops, shown=shown, by=curve.by, formula=curve.formula)  # type: ignore[arg-type]
