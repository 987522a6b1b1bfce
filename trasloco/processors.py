"""How many processors a process may keep busy: all of them, or its share where several do the same work."""

from __future__ import annotations

import os

_SHARED_BY = [1]


def processors() -> int:
    """Threads that are worth having, 1 or more."""
    return max((os.cpu_count() or 1) // _SHARED_BY[0], 1)


def share_by(count: int) -> None:
    """So many processes do the same work as this one from here on."""
    _SHARED_BY[0] = max(count, 1)
