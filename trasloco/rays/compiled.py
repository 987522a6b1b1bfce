"""How kernels are compiled: cached on disk, without the interpreter lock, small ones inlined into their
callers.

What is called in many places, or is large, is compiled once and called (:func:`stays_whole`): copied into its
callers it would be compiled again with each of them, which takes most of the time there is. Scenes are handed
over by address (:mod:`trasloco.rays.by_address`), so that a call costs little.
Reference counting is off: kernels only read and write arrays that their caller holds, and counting is atomic
and slow. So a kernel
cannot make arrays. Infinities are kept (shadow rays to the sky use them), so only the harmless part of fast
arithmetic is on.
"""

import hashlib
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numba
from numba import types
from numba.extending import intrinsic

from trasloco.kernel_cache import njit

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
            _ROOT / "rays" / "by_address.py",
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
_AS_ALL: dict[str, Any] = {
    "cache": True,
    "nogil": True,
    "_nrt": False,
    "error_model": "numpy",
    "fastmath": _ARITHMETIC,
}


def _once(made: Any) -> Any:
    """A kernel that is compiled once for all numbers that callers write down: Numba would compile it anew for
    each, though what is inlined is folded by the compiler behind it anyway.
    """
    template = made.get_call_template

    def of_kinds(given: Any, named: Any) -> Any:
        return template(
            tuple(types.unliteral(one) for one in given),
            {name: types.unliteral(one) for name, one in named.items()},
        )

    made.get_call_template = of_kinds
    return made


def device(function: Callable[..., Any]) -> Any:
    """What is small and copied into its callers."""
    return _once(njit(**_AS_ALL, forceinline=True, no_cfunc_wrapper=True)(function))


def kernel(function: Callable[..., Any]) -> Any:
    """What is compiled by itself."""
    # Said, since what is compiled for an inlined caller would be inlined as its caller is.
    return _once(njit(**_AS_ALL, forceinline=False)(function))


@intrinsic  # type: ignore[untyped-decorator,unused-ignore]
def stays_whole(typing_context: Any) -> Any:
    """Written first in a kernel that others call in many places: it is compiled once and called, where the
    compiler would copy it into each of them.
    """

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        builder.function.attributes.add("noinline")
        return context.get_dummy_value()

    return types.void(), generate
