"""A package written to disk: whole or not at all, and never over something that is there."""

from __future__ import annotations

import shutil
from collections.abc import Iterator, Mapping
from pathlib import Path

from trasloco.at_rest import Bytes
from trasloco.formats.bundle import safe_path


def places(out: Path) -> Iterator[Path]:
    """A folder, then the same with a number behind its name, from 2 on without end."""
    yield out
    number = 2
    while True:
        yield out.with_name(f"{out.name}-{number}")
        number += 1


def unused(out: Path) -> Path:
    """The first place that is empty, or not there at all."""
    return next(one for one in places(out) if not one.exists() or (one.is_dir() and not any(one.iterdir())))


def put(out: Path, files: Mapping[str, Bytes]) -> Path:
    """Writes files by path to an unused place, and tells which. They are written beside it first, so that
    what was ended half way leaves no package that looks like one.
    """
    half = out.with_name(f".{out.name}.half")
    shutil.rmtree(half, ignore_errors=True)
    for path, data in files.items():
        target = half / safe_path(path)
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)
    place = unused(out)
    if place.exists():
        place.rmdir()
    half.rename(place)
    return place
