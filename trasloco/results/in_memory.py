"""A move of files that are held, for the command line: its results live as long as it does."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from trasloco.at_rest import Bytes
from trasloco.own_process import bounded
from trasloco.results.route import Route
from trasloco.results.store import MemoryStore
from trasloco.scene.digest import digest
from trasloco.scene.model import Decision
from trasloco.sheets.model import Sheet


def route_of(
    files: Mapping[str, Bytes], source: Sheet, destination: Sheet, decisions: Sequence[Decision]
) -> Route:
    """The route of a delivery, read already. Raises Refused: it cannot be read."""
    digests = {path: digest(data) for path, data in files.items()}
    made = Route(digests, lambda: files, source, destination, decisions, MemoryStore())
    with bounded():
        made.received()
    return made
