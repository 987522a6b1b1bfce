"""Functions that are compiled when they are first called.

Loading what compiles takes half a second, and the first kernel as long again, even where it was compiled
before: what calls none does without, and few items are not worth it (:meth:`Kernel.of`).
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from functools import cached_property, update_wrapper
from typing import Any

prange = range
"""Turns that may be taken at once, in a kernel of which this is said (``parallel``)."""

FEW = 2000
"""Items that the interpreter is through with before what compiles is loaded."""


class Kernel:
    """A function that is compiled when it is first called, or when a kernel that calls it is."""

    def __init__(self, function: Callable[..., Any], compiled: Callable[[Callable[..., Any]], Any]) -> None:
        update_wrapper(self, function)
        self.plain = function
        self._compiled = compiled

    @cached_property
    def made(self) -> Any:
        """What the compiler makes of it."""
        return self._compiled(self.plain)

    @property
    def _numba_type_(self) -> Any:
        """By this kernels know what they call."""
        return self.made._numba_type_

    def of(self, items: int) -> Callable[..., Any]:
        """What to call for so many items: the function as it is written, where they are few and what compiles
        is not there yet; otherwise this.
        """
        return self.plain if items <= FEW and "numba" not in sys.modules else self

    def __call__(self, *given: Any) -> Any:
        return self.made(*given)


def njit(**options: Any) -> Callable[[Callable[..., Any]], Any]:
    """A function that is compiled when it is first called; kept on disk. Options are those of Numba."""

    def later(function: Callable[..., Any]) -> Any:
        from trasloco.kernel_cache import compiled

        if options.get("parallel"):  # the compiler knows its own word for such turns alone
            import numba

            function.__globals__["prange"] = numba.prange
        return compiled(function, **options)

    return lambda function: Kernel(function, later)
