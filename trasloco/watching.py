"""A folder that is looked at again and again, and told of each time it changed and stands still."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path

State = dict[str, tuple[int, int]]
"""When each file was last written, in nanoseconds, and its bytes."""


def state_of(folder: Path, but: Path) -> State:
    """Of a folder's files, without those below ``but``. A file that goes while it is looked at is not there."""
    found: State = {}
    apart = but.resolve()
    for path in sorted(folder.rglob("*")):
        if apart in (path.resolve(), *path.resolve().parents):
            continue
        try:
            if path.is_file():
                told = path.stat()
                found[str(path)] = (told.st_mtime_ns, told.st_size)
        except OSError:
            continue
    return found


def settled(
    folder: Path, but: Path, every_s: float, wait: Callable[[float], None] = time.sleep
) -> Iterator[list[str]]:
    """Paths that changed, came or went since the last time, once the folder stands still for as long as one
    look: a file that is still being written is waited for. First all that is there.
    """
    told: State | None = None
    last: State | None = None
    while True:
        now = state_of(folder, but)
        if now == last and now != told:
            before = told or {}
            yield sorted(path for path in {*now, *before} if now.get(path) != before.get(path))
            told = now
        last = now
        wait(every_s)
