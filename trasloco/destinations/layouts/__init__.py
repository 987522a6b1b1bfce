"""The layouts that can be written and read back. A module here that a layout's facts are named like (spaces
as underscores) has it as ``LAYOUT``; it is loaded when it is first asked for.
"""

from __future__ import annotations

from importlib import import_module

from trasloco.destinations.layouts.layout import Layout
from trasloco.errors import Refused
from trasloco.sheets.layouts import LAYOUTS as FACTS
from trasloco.sheets.model import Sheet

LAYOUTS: dict[str, Layout] = {}
"""Those that were asked for, by name, as sheets name them."""
# The digest of code goes by iter_modules(__path__): every module here counts.


def layout_named(name: str) -> Layout | None:
    """The layout of a name, None where there is none."""
    if name in FACTS and name not in LAYOUTS:
        LAYOUTS[name] = import_module(f"{__name__}.{name.replace(' ', '_')}").LAYOUT
    return LAYOUTS.get(name)


def layout_of(sheet: Sheet) -> Layout:
    """How a sheet's packages are laid out.

    Raises:
        Refused: the sheet names no layout, or none that is known.
    """
    found = layout_named(sheet.layout or "")
    if found is None:
        raise Refused(
            "The sheet does not say how a package is laid out.", sheet.name, "Choose a destination sheet."
        )
    return found
