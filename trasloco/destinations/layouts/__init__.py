"""The layouts that can be written and read back. Every module here that has ``LAYOUT`` is one."""

from __future__ import annotations

from importlib import import_module
from pkgutil import iter_modules

from trasloco.destinations.layouts.layout import Layout
from trasloco.errors import Refused
from trasloco.sheets.model import Sheet

_MODULES = [import_module(f"{__name__}.{one.name}") for one in iter_modules(__path__)]
LAYOUTS: dict[str, Layout] = {
    module.LAYOUT.name: module.LAYOUT for module in _MODULES if hasattr(module, "LAYOUT")
}
"""By name, as sheets name them."""


def layout_of(sheet: Sheet) -> Layout:
    """How a sheet's packages are laid out.

    Raises:
        Refused: the sheet names no layout, or none that is known.
    """
    found = LAYOUTS.get(sheet.layout or "")
    if found is None:
        raise Refused(
            "The sheet does not say how a package is laid out.", sheet.name, "Choose a destination sheet."
        )
    return found
