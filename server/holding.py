"""One instance a data folder: whoever runs it holds a lock file with its process and address, which the
system lets go of when that process ends, however it ends.
"""

from __future__ import annotations

import contextlib
import ctypes
import fcntl
import json
import os
import signal
import threading
import time
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

PARENT = "TRASLOCO_PARENT"
"""Told to what is started: which process it is to end with. It may be gone before the other can ask."""
_FOLLOW, _LOOK_S = 1, 0.3
"""``PR_SET_PDEATHSIG`` of Linux's prctl; how often a process looks whether its parent lives."""


class HeldElsewhere(Exception):
    """Another process holds it; says which."""


@dataclass(frozen=True)
class Hold:
    """A lock that is held for as long as this lives."""

    path: Path
    file: IO[str]

    def let_go(self) -> None:
        self.file.close()


def hold(folder: Path, role: str, told: dict[str, Any] | None = None) -> Hold:
    """Hold a role in a data folder, telling others about it.

    Raises:
        HeldElsewhere: a live process holds it.
    """
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{role}.lock"
    file = path.open("a+")
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError as error:
        file.close()
        other = _read(path)
        at = f" at {other['address']}" if other.get("address") else ""
        raise HeldElsewhere(
            f"Another Trasloco (process {other.get('process', 'unknown')}{at}) works in {folder}."
        ) from error
    file.truncate(0)
    file.write(json.dumps({"process": os.getpid(), **(told or {})}))
    file.flush()
    return Hold(path, file)


def holder(folder: Path, role: str) -> dict[str, Any] | None:
    """What the holder of a role says of itself, None where nobody holds it."""
    path = folder / f"{role}.lock"
    try:
        with path.open() as file:
            fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except BlockingIOError:
        return _read(path)
    except OSError:
        return None
    return None


def _read(path: Path) -> dict[str, Any]:
    try:
        told = json.loads(path.read_text())
        return told if isinstance(told, dict) else {}
    except (OSError, ValueError):
        return {}


def child_environment() -> dict[str, str]:
    """The environment of a process that is to end with this one."""
    return {**os.environ, PARENT: str(os.getpid())}


def end_with_parent() -> None:
    """This process is ended when the one that started it ends, however it ends: by the system where it can do
    so, and by looking for it often.
    """
    with contextlib.suppress(OSError, AttributeError):  # not on this system
        ctypes.CDLL(None).prctl(_FOLLOW, signal.SIGKILL)
    parent = int(os.environ.get(PARENT, os.getppid()))

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(_LOOK_S)
        os.kill(os.getpid(), signal.SIGKILL)

    threading.Thread(target=watch, name="parent", daemon=True).start()
