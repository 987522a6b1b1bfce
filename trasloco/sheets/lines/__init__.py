"""The lines of a sheet in plain words, in the order in which they are shown."""

from __future__ import annotations

from trasloco.sheets.lines import conventions, lightmaps, lights, materials, package, structure
from trasloco.sheets.lines.line import Line

LINES: tuple[Line, ...] = (
    *package.LINES,
    *conventions.LINES,
    *materials.LINES,
    *lights.LINES,
    *structure.LINES,
    *lightmaps.LINES,
)
