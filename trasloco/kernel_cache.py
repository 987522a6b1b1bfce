"""What compiles kernels (Numba), with a cache on disk that several processes may fill at once.

Numba numbers the files of a function's kinds of arguments by an index that it reads, changes and writes back,
and nothing keeps others away in between: two processes that compile at once take the same number, and from
then on one is handed what was compiled for the other's arguments. Here one process at a time does so.

Numba also asks only whether a kernel's own file changed, not what is inlined into it. So there is a folder for
every state of the sources.
"""

from __future__ import annotations

import fcntl
import hashlib
import shutil
import threading
from collections.abc import Callable, Iterable
from functools import cache
from pathlib import Path
from typing import Any

import numba
from numba.core.caching import IndexDataCacheFile

ROOT = Path(__file__).resolve().parent
_CACHES = ROOT / "__pycache__"
_save = IndexDataCacheFile.save
_one_folder_at_a_time = threading.Lock()


def _one_at_a_time(self: Any, key: Any, data: Any) -> None:
    with open(f"{self._index_path}.lock", "wb") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        _save(self, key, data)


IndexDataCacheFile.save = _one_at_a_time


def folder_of(name: str, sources: Iterable[Path]) -> Path:
    """Where what is compiled from these sources is kept, as they are now; what earlier states left behind is
    cleared away but for two.
    """
    state = hashlib.sha256(b"".join(path.read_bytes() for path in sorted(sources))).hexdigest()[:16]
    folder = _CACHES / f"{name}-{state}"
    if not folder.exists():
        earlier = sorted(_CACHES.glob(f"{name}-*"), key=lambda path: path.stat().st_mtime)
        for old in earlier[:-2]:
            shutil.rmtree(old, ignore_errors=True)
    return folder


@cache
def _apart_from_rays() -> Path:
    """Where kernels are kept that know nothing of rays."""
    return folder_of(
        "apart",
        (path for path in ROOT.rglob("*.py") if b"kernel import njit" in path.read_bytes()),
    )


def compiled(function: Callable[..., Any], folder: Path | None = None, **options: Any) -> Any:
    """What Numba makes of a function; kept in a folder, where none is said in that of all that asks for none."""
    with _one_folder_at_a_time:
        numba.config.CACHE_DIR = str(folder or _apart_from_rays())
        return numba.njit(cache=True, **options)(function)
