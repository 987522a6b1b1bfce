"""The sheets that ship with Trasloco."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from trasloco.errors import Refused
from trasloco.sheets.model import Sheet, parse_sheet

_FOLDER = Path(__file__).parent


@cache
def built_in_sheets() -> dict[str, Sheet]:
    """By lower-case name."""
    return {path.stem: parse_sheet(path.read_text("utf-8"), path.name) for path in sorted(_FOLDER.glob("*.toml"))}


def sheet_named(name: str, role: str = "both") -> Sheet:
    """A built-in sheet.

    Raises:
        Refused: there is none of that name, or it does not serve in that role.
    """
    sheets = built_in_sheets()
    found = sheets.get(name.lower())
    fitting = sorted(sheet.name for sheet in sheets.values() if role == "both" or sheet.role in (role, "both"))
    if found is None or found.name not in fitting:
        raise Refused(f"There is no {'' if role == 'both' else role + ' '}sheet called {name}.", "the sheets", f"Choose one of: {', '.join(fitting)}.")
    return found
