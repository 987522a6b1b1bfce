"""One pass over many texels where NumPy would make several: compiled, and without the interpreter lock."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit

Floats = npt.NDArray[np.float32]


def normal_vectors(encoded: Floats, green_up: bool = True, strength: float = 1.0) -> Floats:
    """Unit vectors (H, W, 3) from values in [0, 1]: normalize((2c - 1) * (strength, strength, 1)), glTF 2.0
    section 3.9.3; ``green_up`` False turns green over.
    """
    found = np.empty(encoded.shape, np.float32)
    _vectors(
        np.ascontiguousarray(encoded, np.float32).reshape(-1, 3), green_up, strength, found.reshape(-1, 3)
    )
    return found


@njit(nogil=True, error_model="numpy")
def _vectors(encoded: Any, green_up: bool, strength: float, out: Any) -> None:
    two, one, along = np.float32(2), np.float32(1), np.float32(strength)
    turn = along if green_up else -along
    for i in range(len(encoded)):
        x = (encoded[i, 0] * two - one) * along
        y = (encoded[i, 1] * two - one) * turn
        z = encoded[i, 2] * two - one
        scale = one / max(np.sqrt(x * x + y * y + z * z), np.float32(1e-12))
        out[i, 0], out[i, 1], out[i, 2] = x * scale, y * scale, z * scale


def apart(first: Floats, second: Floats, scale: float = 1.0) -> tuple[float, float]:
    """The largest difference of two arrays that broadcast, and the root of its mean square; times ``scale``."""
    a, b = np.broadcast_arrays(first, second)
    flat = [np.ascontiguousarray(one, np.float32).reshape(-1) for one in (a, b)]
    largest, squares = _apart(*flat)
    return float(largest) * scale, float(np.sqrt(squares / max(a.size, 1))) * scale


@njit(nogil=True)
def _apart(first: Any, second: Any) -> Any:
    largest, squares = np.float32(0), 0.0
    for i in range(len(first)):
        difference = abs(first[i] - second[i])
        largest = max(largest, difference)
        squares += np.float64(difference) * np.float64(difference)
    return largest, squares
