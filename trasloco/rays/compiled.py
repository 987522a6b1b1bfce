"""How kernels are compiled: cached on disk, without the interpreter lock, inlined into their callers.

Inlining matters more than usual: a tuple of arrays passed to a function that is not inlined is copied field
by field at each call.
Reference counting is off: kernels only read and write arrays that their caller holds, and counting is atomic
and slow. So a kernel
cannot make arrays. Infinities are kept (shadow rays to the sky use them), so only the harmless part of fast
arithmetic is on.
"""

import hashlib
import shutil
from pathlib import Path
from typing import Any

import numba
from numba import njit

_ROOT = Path(__file__).resolve().parents[1]
_CACHES = _ROOT / "__pycache__"


def _cache_folder() -> Path:
    """A cache of its own for every state of the sources: Numba asks only whether a kernel's own file changed,
    not what is inlined into it.
    """
    with_kernels = [
        path
        for path in [*(_ROOT / "rays").glob("*.py"), *(_ROOT / "render").rglob("*.py")]
        if b"rays.compiled import" in path.read_bytes()
    ]
    # Kernels also take the places of columns and tables from these.
    sources = sorted(
        [
            *with_kernels,
            _ROOT / "rays" / "compiled.py",
            _ROOT / "render" / "flatten.py",
            _ROOT / "render" / "columns.py",
            _ROOT / "render" / "closures" / "record.py",
            _ROOT / "render" / "closures" / "observer.csv",
            _ROOT / "render" / "starts.py",
            _ROOT / "scene" / "color.py",
            _ROOT / "scene" / "harmonics.py",
        ]
    )
    state = hashlib.sha256(b"".join(path.read_bytes() for path in sources)).hexdigest()[:16]
    folder = _CACHES / f"kernels-{state}"
    if not folder.exists():
        earlier = sorted(_CACHES.glob("kernels-*"), key=lambda path: path.stat().st_mtime)
        for old in earlier[:-2]:
            shutil.rmtree(old, ignore_errors=True)
    return folder


CACHE = _cache_folder()
"""Where what is compiled is kept."""
numba.config.CACHE_DIR = str(CACHE)

_ARITHMETIC = {"contract", "nsz", "arcp", "afn"}
device: Any = njit(
    cache=True, nogil=True, _nrt=False, forceinline=True, error_model="numpy", fastmath=_ARITHMETIC
)
kernel: Any = njit(cache=True, nogil=True, _nrt=False, error_model="numpy", fastmath=_ARITHMETIC)
written_out: Any = njit(inline="always", nogil=True, _nrt=False, error_model="numpy", fastmath=_ARITHMETIC)
