"""Least squares by weights that are not negative (Lawson and Hanson 1974), out of sums of squares."""

from __future__ import annotations

import numpy as np
from scipy.optimize import nnls

from trasloco.scene.model import Doubles


def weights_of(normal: Doubles, wanted: Doubles) -> Doubles:
    """Weights (N,) that leave least of y against A x, where ``normal`` is A^T A and ``wanted`` A^T y."""
    size = np.sqrt(np.maximum(np.diag(normal), 1e-30))
    values, vectors = np.linalg.eigh(normal / np.outer(size, size))
    root = np.sqrt(np.maximum(values, 1e-9 * max(float(values[-1]), 1e-30)))
    found, _ = nnls((vectors * root).T * size, (vectors / root).T @ (wanted / size))
    return np.asarray(found, np.float64)


def explained(normal: Doubles, wanted: Doubles) -> float:
    """By how much a sum of squares falls at most by such weights."""
    found = weights_of(normal, wanted)
    return float(2 * found @ wanted - found @ normal @ found)
