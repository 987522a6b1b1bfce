"""Sheets in plain words: every line of a sheet that a rule consults, what it means, what goes wrong when it
is wrong, and what it may be.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from trasloco.inputs.table import INPUTS, ORDER
from trasloco.scene.color import roughness_of_gloss
from trasloco.sheets.layouts import LAYOUTS
from trasloco.sheets.lines import LINES
from trasloco.sheets.lines.line import Line
from trasloco.sheets.model import Sheet

_UNITS = {
    1.0: "1 m",
    0.01: "1 cm",
    0.001: "1 mm",
    0.0254: "1 inch",
    0.3048: "1 foot",
    0.1: "10 cm",
    1000.0: "1 km",
}


def fields_of(sheet: Sheet) -> list[Line]:
    """The lines that a sheet of this role has, without those that mean nothing in its layout."""
    facts = LAYOUTS.get(sheet.layout or "")
    silent = {
        path
        for path, there in (
            ("package.networks", facts is not None and facts.networks),
            ("conventions.space", facts is not None and facts.space),
            ("cameras.shift", facts is not None and facts.shifts),
        )
        if not there
    }
    return [
        one for one in LINES if (sheet.role == "both" or sheet.role in one.roles) and one.path not in silent
    ]


def may_say(sheet: Sheet, path: str, choice: str) -> bool:
    """Whether a choice of a line can be kept by the sheet's layout at all."""
    facts = LAYOUTS.get(sheet.layout or "")
    if path == "package.files" and choice != "one":
        return facts is not None and choice in facts.files
    if path == "package.networks" and choice == "alone":
        return facts is not None and facts.networks
    if path == "lights.unit" and choice == "lumen and lux":
        return facts is not None and facts.lumens
    if path == "structure.obstacles" and choice == "shapes":
        return facts is not None and facts.obstacles
    return path != "package.form" or choice == "usual" or (facts is not None and choice in facts.forms)


def value_at(sheet: Sheet, path: str) -> Any:
    """What a sheet says at a dotted path, as plain data."""
    found: Any = sheet.model_dump(mode="json")
    for key in path.split("."):
        found = found[key]
    return found


def said(sheet: Sheet, one: Line) -> str:
    """A line in plain words."""
    value = value_at(sheet, one.path)
    if one.kind == "flag":
        return one.choices["true" if value else "false"]
    if one.kind == "choice":
        return one.choices[str(value)]
    if one.kind == "several":
        listed = ", ".join(one.choices[v] for v in value)
        return listed[:1].upper() + listed[1:] or "None"
    if one.kind == "inputs":
        words = [
            INPUTS[name].label.lower() + (" (multiplies its image)" if rule["multiplies"] else "")
            for name, rule in value.items()
        ]
        return ", ".join(words).capitalize() if words else "None"
    if one.kind == "sets":
        return (
            "; ".join(
                f"{held['name']}: "
                + ", ".join(
                    f"{channel.upper()} {INPUTS[name].label.lower()}"
                    for channel, name in held["channels"].items()
                )
                for held in value
            )
            or "None"
        )
    if "none" in one.choices and not value:
        return one.choices["none"]
    shown = f"{value:g}" if isinstance(value, float | int) else str(value)
    unit = _UNITS.get(float(value), f"{value:g} m") if one.path.endswith("unit_m") else ""
    return one.choices[""].replace("{value}", shown).replace("{unit}", unit)


@dataclass(frozen=True)
class Difference:
    """A line on which two sheets do not agree."""

    field: Line
    first: str
    second: str


def differences(first: Sheet, second: Sheet) -> list[Difference]:
    """Only the lines that both sheets have and that say different things."""
    shared = [one for one in fields_of(first) if one in fields_of(second)]
    return [
        Difference(one, said(first, one), said(second, one))
        for one in shared
        if value_at(first, one.path) != value_at(second, one.path)
    ]


def gloss_plot(sheet: Sheet, points: int = 25) -> list[float]:
    """Roughness over gloss from 0 to 1, as the sheet means gloss."""
    told = sheet.conventions
    return [float(v) for v in roughness_of_gloss(np.linspace(0, 1, points), told.gloss_curve, told.gloss_top)]


def known_inputs() -> list[dict[str, Any]]:
    """Name, label and number of channels of every material input, in the order they are shown."""
    return [
        {"name": name, "label": spec.label, "channels": spec.channels}
        for name, spec in sorted(INPUTS.items(), key=lambda item: ORDER[item[0]])
    ]
