"""What compiles kernels (Numba's ``njit``), with a cache on disk that several processes may fill at once.

Numba numbers the files of a function's kinds of arguments by an index that it reads, changes and writes back,
and nothing keeps others away in between: two processes that compile at once take the same number, and from
then on one is handed what was compiled for the other's arguments. Here one process at a time does so.
"""

from __future__ import annotations

import fcntl
from typing import Any

from numba import njit
from numba.core.caching import IndexDataCacheFile

__all__ = ["njit"]

_save = IndexDataCacheFile.save


def _one_at_a_time(self: Any, key: Any, data: Any) -> None:
    with open(f"{self._index_path}.lock", "wb") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        _save(self, key, data)


IndexDataCacheFile.save = _one_at_a_time
