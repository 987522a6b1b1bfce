"""Sheets."""

from __future__ import annotations

from typing import Literal

from ninja import Schema

from trasloco.sheets.model import ImageSet, InputRule

LineValue = bool | int | float | str | list[str] | dict[str, InputRule] | list[ImageSet]
"""What a line of a sheet holds: one of its choices, a number, a text, several choices, the inputs that are
taken, or the images that are delivered.
"""


class ChoiceWords(Schema):
    value: str
    words: str
    sign: str


class SheetLine(Schema):
    path: str
    group: str
    label: str
    why: str
    kind: Literal["choice", "flag", "number", "text", "several", "inputs", "sets"]
    choices: list[ChoiceWords]
    value: LineValue
    said: str
    note: str
    measured: str
    """What a gauge told of it: "measured, 0.98", "not seen", or nothing where none was read."""
    plot: list[float]


class Meaning(Schema):
    """What was measured and no line says."""

    words: str
    measured: str


class SheetOut(Schema):
    name: str
    role: str
    summary: str
    layout: str | None
    own: bool
    can_undo: bool
    can_redo: bool
    habits: list[dict[str, str]]
    lines: list[SheetLine]
    notes: dict[str, str]
    meanings: list[Meaning]


class InputSpecOut(Schema):
    name: str
    label: str
    channels: int


class DifferenceOut(Schema):
    path: str
    group: str
    label: str
    first: str
    second: str


class SheetText(Schema):
    text: str


class SheetChange(Schema):
    lines: dict[str, LineValue]


class SheetCopy(Schema):
    name: str
