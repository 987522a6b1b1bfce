"""One pass over texels where NumPy would make several: compiled, and without the interpreter lock."""

from __future__ import annotations

from typing import Any

import numpy as np

from trasloco.kernel import njit


@njit(nogil=True)
def looked_up(codes: Any, tables: Any, out: Any) -> None:
    """Write what each channel's table (C, 256) says of its codes (H, W, C) to ``out``."""
    for y in range(codes.shape[0]):
        for x in range(codes.shape[1]):
            for c in range(codes.shape[2]):
                out[y, x, c] = tables[c, codes[y, x, c]]


@njit(nogil=True)
def rounded(values: Any, top: float, out: Any) -> None:
    """Write values (N,) in [0, 1], what is beyond at its ends, as the nearest of ``top`` + 1 codes."""
    scale, half = np.float32(top), np.float32(0.5)
    for i in range(len(values)):
        value = min(max(values[i], np.float32(0)), np.float32(1))
        out[i] = value * scale + half
