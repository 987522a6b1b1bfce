"""A scene carried by the doors of the core, as every test of a delivery needs it."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from trasloco import move
from trasloco.handover.packing import Package
from trasloco.scene.model import Scene
from trasloco.sheets.library import sheet_named
from trasloco.sheets.model import Sheet


def delivered(given: Scene, sheet: Sheet) -> Package:
    """The package for a scene that needs no mending."""
    return move.package(move.carry(given, move.plan(given, sheet_named("plain"), sheet), sheet), sheet)


def unaccounted(given: Scene, sheet: Sheet) -> list[str]:
    """What the books of a whole delivery do not speak of, in words."""
    plain = sheet_named("plain")
    reference = move.mend(given, plain, (), sheet)
    carried = move.carry(reference, move.plan(reference, plain, sheet), sheet)
    arrival = move.arrive(move.package(carried, sheet), sheet, reference)
    told = move.account(reference, arrival, carried.plan, sheet)
    return [f"{e.kind} {e.item} {e.aspect}: {e.sent} / {e.arrived}: {e.reason}" for e in told.unaccounted]


def lay_out(files: dict[str, bytes], folder: str | Path) -> Path:
    """Writes files by their paths below a folder."""
    for path, data in files.items():
        place = Path(folder) / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(data)
    return Path(folder)


@contextmanager
def on_disk(files: dict[str, bytes]) -> Iterator[Path]:
    """A folder that holds the files for a while."""
    with tempfile.TemporaryDirectory() as folder:
        yield lay_out(files, folder)
