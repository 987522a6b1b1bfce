"""Sheets on the server: the built-in ones and the artist's own, which are copied, changed line by line,
undone, imported and exported.
"""

from __future__ import annotations

import logging
import re
from typing import Any

from django.conf import settings
from django.db import transaction

from server.moves.models import Move, OwnSheet
from trasloco.errors import Refused
from trasloco.results import gauging
from trasloco.sheets.library import built_in_sheets, sheet_named
from trasloco.sheets.lines.line import Line
from trasloco.sheets.model import Sheet
from trasloco.sheets.text import changed, parse_sheet, sheet_toml
from trasloco.sheets.words import differences, fields_of, gloss_plot, known_inputs, may_say, said, value_at

MOST_VERSIONS = 200
log = logging.getLogger(__name__)


def own_sheets() -> dict[str, Sheet]:
    """The artist's own, by lower-case name."""
    found: dict[str, Sheet] = {}
    for row in OwnSheet.objects.all():
        sheet = _read(row)
        if sheet is not None:
            found[row.key] = sheet
    return found


def _read(row: OwnSheet) -> Sheet | None:
    """The version that holds, or the last before it that can be read; one bad row takes nothing with it."""
    for version in reversed(row.versions[: row.place + 1]):
        try:
            return parse_sheet(version, row.key)
        except Refused as refused:
            log.warning("a version of the sheet %s cannot be read: %s", row.key, refused)
    return None


def all_sheets() -> dict[str, Sheet]:
    return {**built_in_sheets(), **own_sheets()}


def sheet_of(name: str, role: str = "both") -> Sheet:
    """A sheet by name. Raises Refused when there is none in that role."""
    return sheet_named(name, role, own_sheets())


def _own(name: str) -> OwnSheet:
    row = OwnSheet.objects.filter(key=name.lower()).first()
    if row is None:
        raise Refused(
            "This sheet ships with Trasloco and stays as it is."
            if name.lower() in built_in_sheets()
            else "There is no such sheet.",
            name,
            "Copy it, and change the copy.",
        )
    return row


def _free_name(name: str) -> str:
    shown = re.sub(r"\s+", " ", name).strip()
    if not shown or len(shown) > 60 or not re.fullmatch(r"[\w .()\-]+", shown):
        raise Refused(
            "The name cannot be used.",
            "name",
            "Give one of up to 60 letters, digits, spaces, dots and hyphens.",
        )
    if shown.lower() in all_sheets():
        raise Refused(f"There is a sheet called {shown} already.", "name", "Give another name.")
    return shown


def _keep_new(sheet: Sheet) -> Sheet:
    OwnSheet.objects.create(key=sheet.name.lower(), versions=[sheet_toml(sheet)])
    return sheet


def copied(name: str, new_name: str) -> Sheet:
    """A copy under a name of its own."""
    return kept_as(sheet_of(name), new_name)


def imported(text: str) -> Sheet:
    """A sheet from TOML; one whose name is taken is refused."""
    sheet = parse_sheet(text, "the imported sheet")
    return kept_as(sheet, sheet.name)


def kept_as(sheet: Sheet, name: str) -> Sheet:
    """A sheet under a name that nobody has yet."""
    return _keep_new(sheet.model_copy(update={"name": _free_name(name)}))


def change(name: str, lines: dict[str, Any]) -> Sheet:
    """Lines set; what was undone before is forgotten."""
    with transaction.atomic():
        row = _own(name)
        for fixed in ("name", "role", "layout"):
            if fixed in lines:
                raise Refused("This line cannot be changed.", fixed, "Copy another sheet instead.")
        made = changed(parse_sheet(row.versions[row.place], row.key), lines)
        row.versions = [*row.versions[: row.place + 1], sheet_toml(made)][-MOST_VERSIONS:]
        row.place = len(row.versions) - 1
        row.save()
    return made


def step(name: str, by: int) -> Sheet:
    """Undo (-1) or redo (+1)."""
    row = _own(name)
    row.place = min(max(row.place + by, 0), len(row.versions) - 1)
    row.save()
    return parse_sheet(row.versions[row.place], row.key)


def remove(name: str) -> None:
    """Forget an own sheet, unless a move uses it."""
    row = _own(name)
    users = [m.name for m in Move.objects.all() if row.key in (m.source.lower(), m.destination.lower())]
    if users:
        raise Refused(
            f"{len(users)} move{'s use' if len(users) > 1 else ' uses'} it{_named(users)}.",
            name,
            "Choose another sheet there first.",
        )
    row.delete()


def _named(moves: list[str]) -> str:
    """Names of moves, where whoever asks sees all of them."""
    return "" if settings.ACCOUNTS else f": {', '.join(moves[:3])}"


def sheet_out(sheet: Sheet) -> dict[str, Any]:
    row = OwnSheet.objects.filter(key=sheet.name.lower()).first()
    return {
        "name": sheet.name,
        "role": sheet.role,
        "summary": sheet.summary,
        "layout": sheet.layout,
        "own": row is not None,
        "habits": [{"name": h.name, "does": h.does} for h in sheet.habits],
        "can_undo": row is not None and row.place > 0,
        "can_redo": row is not None and row.place + 1 < len(row.versions),
        "lines": [_line_out(sheet, one) for one in fields_of(sheet)],
        "notes": _other_notes(sheet),
        "meanings": gauging.meanings_of(sheet),
    }


def _line_out(sheet: Sheet, one: Line) -> dict[str, Any]:
    choices = [
        {"value": value, "words": words, "sign": one.signs.get(value, "")}
        for value, words in one.choices.items()
        if value not in ("", "none") and may_say(sheet, one.path, value)
    ]
    return {
        "path": one.path,
        "group": one.group,
        "label": one.label,
        "why": one.why,
        "kind": one.kind,
        "choices": choices,
        "value": value_at(sheet, one.path),
        "said": said(sheet, one),
        "note": sheet.notes.get(one.path, ""),
        "measured": gauging.how_measured(sheet, one.path),
        "plot": gloss_plot(sheet) if one.path.startswith("conventions.gloss_") else [],
    }


def _other_notes(sheet: Sheet) -> dict[str, str]:
    shown = {one.path for one in fields_of(sheet)}
    return {path: note for path, note in sheet.notes.items() if path not in shown}


def comparison_out(first: Sheet, second: Sheet) -> list[dict[str, Any]]:
    return [
        {
            "path": d.field.path,
            "group": d.field.group,
            "label": d.field.label,
            "first": d.first,
            "second": d.second,
        }
        for d in differences(first, second)
    ]


def inputs_out() -> list[dict[str, Any]]:
    return known_inputs()
