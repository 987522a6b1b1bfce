"""Sheets as text: read from TOML, written as TOML, lines of them changed."""

from __future__ import annotations

import copy
import tomllib
from collections.abc import Mapping
from typing import Any

import tomli_w
from pydantic import ValidationError

from trasloco.errors import Refused
from trasloco.sheets.layouts import fault_of_layout
from trasloco.sheets.model import Sheet, first_fault


def parse_sheet(text: str, where: str) -> Sheet:
    """A sheet from TOML.

    Raises:
        Refused: broken TOML, or a field that is unknown or has an impossible value; the message names the
            field.
    """
    try:
        sheet = Sheet.model_validate(tomllib.loads(text))
    except tomllib.TOMLDecodeError as error:
        raise Refused(f"This is not valid TOML ({error}).", where, "Mend the line it names.") from None
    except RecursionError:
        raise Refused("This is nested too deep to be a sheet.", where, "Give lines of values.") from None
    except ValidationError as error:
        path, what = first_fault(error)
        raise Refused(f"{path}: {what}", where, "Mend this field.") from None
    fault = fault_of_layout(sheet)
    if fault is not None:
        raise Refused(f"{fault[0]}: {fault[1]}", where, "Mend this field.")
    return sheet


def sheet_toml(sheet: Sheet) -> str:
    """A sheet as TOML that ``parse_sheet`` reads back equal; lines at their default are left out."""
    return tomli_w.dumps(sheet.model_dump(mode="json", exclude_defaults=True))


def changed(sheet: Sheet, changes: Mapping[str, Any]) -> Sheet:
    """The sheet with values set at dotted paths.

    Raises:
        Refused: a line that no sheet has, or an impossible value; ``where`` is the line's path.
    """
    data = copy.deepcopy(sheet.model_dump(mode="json"))
    for path, value in changes.items():
        *way, last = path.split(".", 1) if path.startswith("notes.") else path.split(".")
        holder = data
        for key in way:
            if not isinstance(holder.get(key), dict):
                raise Refused(f"No sheet has a line called {path}.", path, "Choose one of the lines shown.")
            holder = holder[key]
        if last not in holder and way != ["notes"]:
            raise Refused(f"No sheet has a line called {path}.", path, "Choose one of the lines shown.")
        holder[last] = value
        if way == ["notes"] and not value:
            del holder[last]
    try:
        made = Sheet.model_validate(data)
    except ValidationError as error:
        where, what = first_fault(error)
        raise Refused(what, where, "Give another value; the sheet is as it was.") from None
    fault = fault_of_layout(made)
    if fault is not None:
        raise Refused(fault[1], fault[0], "Give another value; the sheet is as it was.")
    return made
