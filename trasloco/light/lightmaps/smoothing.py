"""Noise taken out of lightmaps over the surface itself: what is near in space and faces the same way is averaged, whichever chart it lies in.

First-order regression with a width chosen at every texel by the error that two independent halves show (Rousselle, Knaus and Zwicker 2012; Bitterli et al. 2016).
Images would know only the neighbours inside of a chart, which may be a few texels wide.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import numpy.typing as npt
from numba import njit, prange

Floats = npt.NDArray[np.float32]
REACHES = (1.5, 3.0, 6.0, 12.0)
"""Radii that are tried, in texels."""
_MOST = 200
"""Neighbours that count at most; where more are near, every nth is taken."""
_ALIKE = 0.9
"""Least cosine between two normals."""
_FLAT = 0.35
"""How far a neighbour may lie off the plane of a texel, in radii."""


@njit(cache=True)
def _key(x: int, y: int, z: int, cells: int) -> int:
    """Teschner et al. 2003."""
    return ((x * 73856093) ^ (y * 19349663) ^ (z * 83492791)) % cells


@njit(cache=True)
def _sorted_into_cells(place: Any, size: float, cells: int, starts: Any, order: Any, which: Any) -> None:
    for i in range(place.shape[0]):
        which[i] = _key(math.floor(place[i, 0] / size), math.floor(place[i, 1] / size), math.floor(place[i, 2] / size), cells)
        starts[which[i] + 1] += 1
    for c in range(cells):
        starts[c + 1] += starts[c]
    filled = np.zeros(cells, np.int64)
    for i in range(place.shape[0]):
        c = which[i]
        order[starts[c] + filled[c]] = i
        filled[c] += 1


@njit(cache=True, parallel=True)
def _regressed(place: Any, normal: Any, reach: Any, size: float, cells: int, starts: Any, order: Any, values: Any, weights: Any, out: Any) -> None:
    """``values`` (N, C) fitted over the tangent plane of each texel within its ``reach`` (N,); ``weights`` (N,) how much each counts."""
    channels = values.shape[1]
    for i in prange(place.shape[0]):
        r = reach[i]
        # A frame on the surface.
        nx, ny, nz = normal[i, 0], normal[i, 1], normal[i, 2]
        if abs(nx) < 0.9:
            tx, ty, tz = 0.0, nz, -ny
        else:
            tx, ty, tz = -nz, 0.0, nx
        length = math.sqrt(tx * tx + ty * ty + tz * tz)
        tx, ty, tz = tx / length, ty / length, tz / length
        bx, by, bz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
        cx, cy, cz = math.floor((place[i, 0] - r) / size), math.floor((place[i, 1] - r) / size), math.floor((place[i, 2] - r) / size)
        ex, ey, ez = math.floor((place[i, 0] + r) / size), math.floor((place[i, 1] + r) / size), math.floor((place[i, 2] + r) / size)
        m = np.zeros((3, 3))
        v = np.zeros((3, channels))
        plain, total = np.zeros(channels), 0.0
        for gx in range(cx, ex + 1):
            for gy in range(cy, ey + 1):
                for gz in range(cz, ez + 1):
                    c = _key(gx, gy, gz, cells)
                    for at in range(starts[c], starts[c + 1]):
                        j = order[at]
                        dx, dy, dz = place[j, 0] - place[i, 0], place[j, 1] - place[i, 1], place[j, 2] - place[i, 2]
                        squared = (dx * dx + dy * dy + dz * dz) / (r * r)
                        if squared >= 1.0 or math.floor(place[j, 0] / size) != gx or math.floor(place[j, 1] / size) != gy or math.floor(place[j, 2] / size) != gz:
                            continue
                        alike = normal[j, 0] * nx + normal[j, 1] * ny + normal[j, 2] * nz
                        if alike < _ALIKE or abs(dx * nx + dy * ny + dz * nz) > _FLAT * r:
                            continue
                        w = (1.0 - squared) * (1.0 - squared) * (alike - _ALIKE) / (1.0 - _ALIKE) * weights[j]
                        s, t = (dx * tx + dy * ty + dz * tz) / r, (dx * bx + dy * by + dz * bz) / r
                        m[0, 0] += w
                        m[0, 1] += w * s
                        m[0, 2] += w * t
                        m[1, 1] += w * s * s
                        m[1, 2] += w * s * t
                        m[2, 2] += w * t * t
                        total += w
                        for k in range(channels):
                            v[0, k] += w * values[j, k]
                            v[1, k] += w * s * values[j, k]
                            v[2, k] += w * t * values[j, k]
                            plain[k] += w * values[j, k]
        # A little held back towards the plain mean, where neighbours lie in a line or are few.
        held = 0.02 * total + 1e-12
        a, b, c2, d, e, f = m[0, 0] + 1e-12, m[0, 1], m[0, 2], m[1, 1] + held, m[1, 2], m[2, 2] + held
        # Cramer's rule for the value at the middle alone.
        det = a * (d * f - e * e) - b * (b * f - e * c2) + c2 * (b * e - d * c2)
        for k in range(channels):
            if total <= 0.0:
                out[i, k] = values[i, k]
                continue
            top = v[0, k] * (d * f - e * e) - b * (v[1, k] * f - e * v[2, k]) + c2 * (v[1, k] * e - d * v[2, k])
            out[i, k] = max(top / det, 0.0) if abs(det) > 1e-30 else plain[k] / total


class Neighbourhood:
    """Texels (N,) in space: their places and normals (N, 3), and the side in metres of what each covers (N,)."""

    def __init__(self, place: npt.NDArray[np.float64], normal: npt.NDArray[np.float64], side: npt.NDArray[np.float64]) -> None:
        self.place, self.normal, self.side = np.ascontiguousarray(place), np.ascontiguousarray(normal), side

    def fitted(self, values: npt.NDArray[np.float64], weights: npt.NDArray[np.float64], reach: float) -> npt.NDArray[np.float64]:
        """Values (N, C) of each texel by regression over a radius of ``reach`` texels."""
        radius = self.side * reach
        size = float(np.median(radius))
        cells = max(len(self.place) // 2, 1) * 2 + 1
        starts, order, which = np.zeros(cells + 1, np.int64), np.zeros(len(self.place), np.int64), np.zeros(len(self.place), np.int64)
        _sorted_into_cells(self.place, size, cells, starts, order, which)
        out = np.zeros_like(values)
        _regressed(self.place, self.normal, radius, size, cells, starts, order, np.ascontiguousarray(values), np.ascontiguousarray(weights), out)
        return out
