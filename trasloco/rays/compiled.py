"""How kernels are compiled: cached on disk, without the interpreter lock, inlined into their callers.

Inlining matters more than usual: a tuple of arrays passed to a function that is not inlined is copied field by field at each call.
Reference counting is off: kernels only read and write arrays that their caller holds, and counting is atomic and slow. So a kernel
cannot make arrays. Infinities are kept (shadow rays to the sky use them), so only the harmless part of fast arithmetic is on.
"""

from typing import Any

from numba import njit

_ARITHMETIC = {"contract", "nsz", "arcp", "afn"}
device: Any = njit(cache=True, nogil=True, _nrt=False, forceinline=True, error_model="numpy", fastmath=_ARITHMETIC)
kernel: Any = njit(cache=True, nogil=True, _nrt=False, error_model="numpy", fastmath=_ARITHMETIC)
