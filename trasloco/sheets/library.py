"""The sheets that ship with Trasloco."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from pathlib import Path

from trasloco.errors import Refused
from trasloco.sheets.model import Sheet
from trasloco.sheets.text import parse_sheet

_SOURCES = Path(__file__).parent
_DESTINATIONS = _SOURCES.parent / "destinations"


@cache
def built_in_sheets() -> dict[str, Sheet]:
    """By lower-case name."""
    found = {path.stem: path for path in _SOURCES.glob("*.toml")}
    found |= {path.parent.name: path for path in _DESTINATIONS.glob("*/sheet.toml")}
    return {
        name: parse_sheet(path.read_text("utf-8"), f"{name}.toml") for name, path in sorted(found.items())
    }


def sheet_named(name: str, role: str = "both", own: Mapping[str, Sheet] | None = None) -> Sheet:
    """A built-in sheet, or one of the artist's own, by lower-case name.

    Raises:
        Refused: there is none of that name, or it does not serve in that role.
    """
    sheets = {**(own or {}), **built_in_sheets()}
    found = sheets.get(name.lower())
    fitting = sorted(
        sheet.name for sheet in sheets.values() if role == "both" or sheet.role in (role, "both")
    )
    if found is None or found.name not in fitting:
        raise Refused(
            f"There is no {'' if role == 'both' else role + ' '}sheet called {name}.",
            "the sheets",
            f"Choose one of: {', '.join(fitting)}.",
        )
    return found


def sheet_at(name_or_path: str, role: str) -> Sheet:
    """A built-in sheet by name, or a TOML file by path.

    Raises:
        Refused: no such sheet, a file that cannot be read, or a sheet of the other role.
    """
    if not name_or_path.endswith(".toml"):
        return sheet_named(name_or_path, role)
    try:
        sheet = parse_sheet(Path(name_or_path).read_text("utf-8"), name_or_path)
    except (OSError, UnicodeDecodeError) as error:
        raise Refused(
            f"The sheet cannot be read ({error}).", name_or_path, "Give the path of a TOML file."
        ) from None
    return sheet_named(sheet.name, role, {sheet.name.lower(): sheet})
