"""What goes wrong outside of us, in words: no room, a folder that cannot be written, a database that is held,
damaged or gone.
"""

from __future__ import annotations

import errno
import shutil
from dataclasses import dataclass

from django.conf import settings
from django.db import DatabaseError

from trasloco.errors import Refused

NO_ROOM, NOT_NOW = 507, 503
_FULL, _READ_ONLY = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG), (errno.EROFS, errno.EACCES, errno.EPERM)
RESERVE_BYTES = 64 * 2**20
"""Kept free of long work, so that decisions can always be written."""


@dataclass(frozen=True)
class Fault:
    """What is told of a fault, with the status of the answer."""

    status: int
    told: Refused
    passes: bool = False
    """Whether it ends when something else lets go: what was asked can be asked again then."""


def fault_of(error: BaseException | None) -> Fault | None:
    """The fault that an exception, or what it came from, tells of; None where it is ours."""
    while error is not None:
        found = _of_database(str(error).lower()) if isinstance(error, DatabaseError) else _of_system(error)
        if found is not None:
            return found
        error = error.__cause__
    return None


def _of_system(error: BaseException) -> Fault | None:
    number = getattr(error, "errno", None) if isinstance(error, OSError) else None
    if number in _FULL:
        return _full()
    if number in _READ_ONLY:
        return _read_only()
    return None


def _of_database(said: str) -> Fault | None:
    if "locked" in said:
        return Fault(
            NOT_NOW,
            Refused(
                "Something else holds the database.",
                _place(),
                "Wait a moment and try again. If it lasts, end the program that has it open.",
            ),
            passes=True,
        )
    if "full" in said:
        return _full()
    if "readonly" in said or "read-only" in said:
        return _read_only()
    if any(
        word in said
        for word in ("malformed", "not a database", "no such table", "unable to open", "disk i/o")
    ):
        return Fault(
            NOT_NOW,
            Refused(
                "The database cannot be read.",
                _place(),
                "Stop Trasloco, then bring a backup back: trasloco restore FILE. The files of deliveries are untouched.",
            ),
        )
    return None


def _full() -> Fault:
    remedy = "Make room: remove what is not needed, from the desk or from the disk, then try again."
    return Fault(NO_ROOM, Refused("The disk is full.", _place(), remedy))


def _read_only() -> Fault:
    remedy = "Give it back the right to be written, then try again."
    return Fault(NO_ROOM, Refused("The data folder cannot be written.", _place(), remedy))


def _place() -> str:
    return f"data folder, {settings.DATA_DIR}"


def need_room(more_bytes: int) -> None:
    """Look at the room there is before long work.

    Raises:
        Refused: what is needed would not fit beside the reserve.
    """
    free = shutil.disk_usage(settings.DATA_DIR).free
    if free < more_bytes + RESERVE_BYTES:
        raise Refused(
            f"There is too little room on the disk: {free >> 20} MB are free, about {(more_bytes + RESERVE_BYTES) >> 20} MB are needed.",
            _place(),
            "Make room: remove what is not needed, from the desk or from the disk, then try again.",
        )
