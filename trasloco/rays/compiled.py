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

from collections.abc import Callable
from typing import Any

from numba import types
from numba.extending import intrinsic

from trasloco.kernel import Kernel
from trasloco.kernel_cache import ROOT, compiled, folder_of

_WITH_KERNELS = [
    path
    for path in [*(ROOT / "rays").glob("*.py"), *(ROOT / "render").rglob("*.py")]
    if b"rays.compiled import" in path.read_bytes()
]
# Kernels also take the places of columns and tables from these.
CACHE = folder_of(
    "kernels",
    [
        *_WITH_KERNELS,
        ROOT / "rays" / "by_address.py",
        ROOT / "rays" / "compiled.py",
        ROOT / "render" / "flatten.py",
        ROOT / "render" / "columns.py",
        ROOT / "render" / "closures" / "record.py",
        ROOT / "render" / "closures" / "observer.csv",
        ROOT / "render" / "starts.py",
        ROOT / "scene" / "color.py",
        ROOT / "scene" / "harmonics.py",
    ],
)
"""Where what is compiled is kept."""

_AS_ALL: dict[str, Any] = {
    "nogil": True,
    "_nrt": False,
    "error_model": "numpy",
    "fastmath": {"contract", "nsz", "arcp", "afn"},
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


def _later(function: Callable[..., Any], **options: Any) -> Kernel:
    return Kernel(function, lambda one: _once(compiled(one, CACHE, **_AS_ALL, **options)))


def device(function: Callable[..., Any]) -> Kernel:
    """What is small and copied into its callers."""
    return _later(function, forceinline=True, no_cfunc_wrapper=True)


def kernel(function: Callable[..., Any]) -> Kernel:
    """What is compiled by itself."""
    # Said, since what is compiled for an inlined caller would be inlined as its caller is.
    return _later(function, forceinline=False)


@intrinsic  # type: ignore[untyped-decorator,unused-ignore]
def stays_whole(typing_context: Any) -> Any:
    """Written first in a kernel that others call in many places: it is compiled once and called, where the
    compiler would copy it into each of them.
    """

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        builder.function.attributes.add("noinline")
        return context.get_dummy_value()

    return types.void(), generate
