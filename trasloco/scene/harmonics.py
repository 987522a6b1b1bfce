"""Real spherical harmonics up to the second degree, and light over the sphere written by them (Ramamoorthi
and Hanrahan 2001, An Efficient Representation for Irradiance Environment Maps).
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

Doubles = npt.NDArray[np.float64]
C0 = math.sqrt(1 / (4 * math.pi))
C1 = math.sqrt(3 / (4 * math.pi))
C2 = math.sqrt(15 / (4 * math.pi))
C3 = math.sqrt(5 / (16 * math.pi))
C4 = math.sqrt(15 / (16 * math.pi))
"""Constants of the basis in Cartesian form: 1; y, z, x; xy, yz, 3z^2 - 1, xz, x^2 - y^2."""


def basis(direction: Doubles) -> Doubles:
    """Values (N, 9) of the basis in unit directions (N, 3)."""
    x, y, z = direction[:, 0], direction[:, 1], direction[:, 2]
    return np.stack(
        [
            np.full(len(x), C0),
            C1 * y,
            C1 * z,
            C1 * x,
            C2 * x * y,
            C2 * y * z,
            C3 * (3 * z * z - 1),
            C2 * x * z,
            C4 * (x * x - y * y),
        ],
        axis=1,
    )


def fitted(normals: Doubles, lux: Doubles) -> Doubles:
    """Weights (9, 3) whose sum is nearest to the illuminance (N, 3) measured on normals (N, 3), N at least 9."""
    return np.asarray(np.linalg.lstsq(basis(normals), lux, rcond=None)[0])


def spread_normals(count: int) -> Doubles:
    """Directions (count, 3) evenly over the sphere: a Fibonacci lattice (Gonzalez 2010)."""
    k = np.arange(count) + 0.5
    z = 1 - 2 * k / count
    around = math.pi * (1 + math.sqrt(5)) * k
    flat = np.sqrt(1 - z * z)
    return np.stack([flat * np.cos(around), flat * np.sin(around), z], axis=1)
