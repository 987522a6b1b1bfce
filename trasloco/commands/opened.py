"""The route that a command's words name."""

from __future__ import annotations

from pathlib import Path

from trasloco.decisions.reading import read_decisions
from trasloco.formats.bundle import gather
from trasloco.results.in_memory import route_of
from trasloco.results.route import Route
from trasloco.sheets.library import sheet_at


def opened(sources: list[Path], source: str, to: str, decisions: Path | None) -> Route:
    """The route of a delivery, its results held in memory."""
    files = gather(sources)
    made = read_decisions(decisions) if decisions else []
    return route_of(files, sheet_at(source, "source"), sheet_at(to, "destination"), made)
