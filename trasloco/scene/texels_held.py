"""Decoded texels by content, remembered within a bound; where processes work on the same deliveries, one decodes
for all (:envvar:`TRASLOCO_TEXELS`, a folder in memory that they share).
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import threading
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

Pixels = npt.NDArray[Any]
SHARED = "TRASLOCO_TEXELS"
_ROOM = 3
"""How many times what is put into a shared folder has to be free there."""


class Held:
    """Decoded pixels by content, dropped oldest first beyond the bound."""

    def __init__(self, bound_bytes: int) -> None:
        self.bound = bound_bytes
        self.held: OrderedDict[str, Pixels] = OrderedDict()
        self.size = 0
        self.lock = threading.Lock()
        self.making: dict[str, tuple[threading.Lock, int]] = {}

    @contextmanager
    def alone(self, key: str) -> Iterator[None]:
        """One thread at a time: who comes second finds what the first decoded."""
        with self.lock:
            mine, users = self.making.get(key, (threading.Lock(), 0))
            self.making[key] = mine, users + 1
        try:
            with mine:
                yield
        finally:
            with self.lock:
                mine, users = self.making[key]
                if users > 1:
                    self.making[key] = mine, users - 1
                else:
                    del self.making[key]

    def get(self, key: str) -> Pixels | None:
        with self.lock:
            found = self.held.get(key)
            if found is not None:
                self.held.move_to_end(key)
            return found

    def put(self, key: str, value: Pixels) -> None:
        with self.lock:
            if key in self.held or value.nbytes > self.bound:
                return
            self.held[key] = value
            self.size += value.nbytes
            while self.size > self.bound:
                _, dropped = self.held.popitem(last=False)
                self.size -= dropped.nbytes

    def after_fork(self) -> None:
        """What other threads were decoding goes on in the parent alone."""
        self.lock = threading.Lock()
        self.making.clear()


class Shared:
    """Decoded pixels that other processes find: a file for each, mapped by whoever reads it, so that it is in
    memory once. What was not read for longest leaves first; who still reads it keeps it.

    It is only ever a saving: where there is no room, or a file is gone, who asks decodes for itself.

    Args:
        folder: in memory, for its owner alone. bound_bytes: of all files together.
    """

    def __init__(self, folder: Path, bound_bytes: int) -> None:
        self.folder, self.bound = folder, bound_bytes

    def get(self, key: str) -> Pixels | None:
        """Read-only, or None where nobody has put it there."""
        path = self.folder / key
        try:
            mapped = np.load(path, mmap_mode="r", allow_pickle=False)
            os.utime(path)
        except (OSError, ValueError):
            return None
        return np.asarray(mapped)

    def put(self, key: str, value: Pixels) -> Pixels:
        """The same as it lies there, or as it was given."""
        if value.nbytes > self.bound or (self.folder / key).exists() or not self._has_room(value.nbytes):
            return value
        draft = self.folder / f".draft {key} {os.getpid()} {threading.get_ident()}"
        try:
            # Written rather than mapped: where memory runs out, writing says so and a map ends the process.
            with draft.open("wb") as file:
                np.save(file, value, allow_pickle=False)
            draft.replace(self.folder / key)
            self._within_bound()
        except OSError:
            with contextlib.suppress(OSError):
                draft.unlink()
        found = self.get(key)
        return value if found is None else found

    @contextmanager
    def alone(self, key: str) -> Iterator[None]:
        """One process at a time, one thread of each: who comes second finds what the first has put there."""
        try:
            lock = (self.folder / f".{key}").open("wb")
        except OSError:
            yield
            return
        with lock:
            with contextlib.suppress(OSError):
                fcntl.lockf(lock, fcntl.LOCK_EX)  # of this process alone, what it forks does not hold it
            yield

    def _has_room(self, size: int) -> bool:
        try:
            told = os.statvfs(self.folder)
        except OSError:
            return False
        return told.f_bavail * told.f_frsize >= _ROOM * size

    def _within_bound(self) -> None:
        there = sorted(
            (stat.st_mtime_ns, stat.st_size, path)
            for path in self.folder.iterdir()
            if (stat := _stat(path)) is not None
        )
        over = sum(size for _, size, _ in there) - self.bound
        for _, size, path in there:
            if over <= 0:
                return
            with contextlib.suppress(OSError):
                path.unlink()
            over -= size


def _stat(path: Path) -> os.stat_result | None:
    try:
        return path.stat()
    except OSError:  # another process has put it aside
        return None


def shared(bound_bytes: int) -> Shared | None:
    """What processes share where they were told a folder."""
    folder = os.environ.get(SHARED)
    return Shared(Path(folder), bound_bytes) if folder else None
