"""Noise taken out of lightmaps over the surface itself: what is near in space and faces the same way is
averaged, whichever chart it lies in.

First-order regression with a width chosen at every texel by the error that two independent halves show, then
once more among texels that came out alike
(Rousselle, Knaus and Zwicker 2012; Bitterli et al. 2016). A filter of images would know only the neighbours
inside of a chart, which may be a few texels wide.
Light straight from lamps has no noise and the sharpest shadows: it is left as it is.
"""

from __future__ import annotations

import itertools
import math
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit

Doubles = npt.NDArray[np.float64]
REACHES = (0.0, 1.5, 3.0, 6.0, 12.0)
"""Radii that are tried, in texels; 0 leaves a texel as it is."""
_GUIDED = 6.0
"""From here on, the second time, only what came out alike counts."""
_LIKE = 0.04
"""Difference of two texels, in shares of what is seen, at which a neighbour counts by 0.6."""
_COUNTED = np.maximum(5 * np.pi / 9 * np.array(REACHES) ** 2, 1.0)
"""Texels that a regression over each reach averages: the square of its weights' sum over the sum of their
squares, for (1 - d^2)^2 on a disc.
"""
OF_HALVES = 0.7
"""Error of a mean against what its two halves suggest: points that fill space evenly do so better as a whole.

Measured at 64 paths on the demo's stage.
"""
_ERRORS_OVER, _CHOICE_OVER = 5.0, 3.0
"""Texels over which measured errors, and then the choice, are evened out."""
_ALIKE = 0.9
"""Least cosine between two normals."""
_FLAT = 0.35
"""How far a neighbour may lie off the plane of a texel, in radii."""


@njit()
def _key(x: int, y: int, z: int, cells: int) -> int:
    """Teschner et al. 2003."""
    return ((x * 73856093) ^ (y * 19349663) ^ (z * 83492791)) % cells


@njit()
def _sorted_into_cells(
    place: Any, size: float, cells: int, cell: Any, starts: Any, order: Any, which: Any
) -> None:
    for i in range(place.shape[0]):
        for k in range(3):
            cell[i, k] = math.floor(place[i, k] / size)
        which[i] = _key(cell[i, 0], cell[i, 1], cell[i, 2], cells)
        starts[which[i] + 1] += 1
    for c in range(cells):
        starts[c + 1] += starts[c]
    filled = np.zeros(cells, np.int64)
    for i in range(place.shape[0]):
        c = which[i]
        order[starts[c] + filled[c]] = i
        filled[c] += 1


@njit(nogil=True, error_model="numpy", fastmath={"contract", "nsz", "arcp", "afn"})
def _regressed(
    first: int,
    last: int,
    place: Any,
    normal: Any,
    reach: Any,
    size: float,
    cells: int,
    starts: Any,
    near: Any,
    likes: Any,
    guide: Any,
    narrow: float,
    out: Any,
) -> None:
    """Values fitted over the tangent plane of each texel within its ``reach`` (N,). With ``narrow`` above 0,
    neighbours count by how near their ``likes`` are to a texel's ``guide`` (N, G).

    ``near`` (N, 9 + C) has neighbours in the order of their cells: place, normal, cell, values; so do
    ``likes`` (N, G).
    """
    channels, guides = near.shape[1] - 9, guide.shape[1]
    v = np.zeros((channels, 3))
    for i in range(first, last):
        r = reach[i]
        squared_r = r * r
        px, py, pz = place[i, 0], place[i, 1], place[i, 2]
        # A frame on the surface.
        nx, ny, nz = normal[i, 0], normal[i, 1], normal[i, 2]
        if abs(nx) < 0.9:
            tx, ty, tz = 0.0, nz, -ny
        else:
            tx, ty, tz = -nz, 0.0, nx
        length = math.sqrt(tx * tx + ty * ty + tz * tz) * r
        tx, ty, tz = tx / length, ty / length, tz / length
        bx, by, bz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
        cx, cy, cz = math.floor((px - r) / size), math.floor((py - r) / size), math.floor((pz - r) / size)
        ex, ey, ez = math.floor((px + r) / size), math.floor((py + r) / size), math.floor((pz + r) / size)
        a, b, c2, d, e, f = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for k in range(channels):
            v[k, 0] = v[k, 1] = v[k, 2] = 0.0
        for gx in range(cx, ex + 1):
            for gy in range(cy, ey + 1):
                for gz in range(cz, ez + 1):
                    c = _key(gx, gy, gz, cells)
                    for at in range(starts[c], starts[c + 1]):
                        q = near[at]
                        dx, dy, dz = q[0] - px, q[1] - py, q[2] - pz
                        squared = dx * dx + dy * dy + dz * dz
                        if squared >= squared_r:
                            continue
                        alike = q[3] * nx + q[4] * ny + q[5] * nz
                        if (
                            alike < _ALIKE
                            or abs(dx * nx + dy * ny + dz * nz) > _FLAT * r
                            or q[6] != gx
                            or q[7] != gy
                            or q[8] != gz
                        ):
                            continue
                        left = 1.0 - squared / squared_r
                        w = left * left * (alike - _ALIKE) / (1.0 - _ALIKE)
                        if narrow > 0.0:
                            apart = 0.0
                            for k in range(guides):
                                apart += (guide[i, k] - likes[at, k]) * (guide[i, k] - likes[at, k])
                            w *= math.exp(-apart * narrow)
                        s, t = dx * tx + dy * ty + dz * tz, dx * bx + dy * by + dz * bz
                        ws, wt = w * s, w * t
                        a, b, c2, d, e, f = a + w, b + ws, c2 + wt, d + ws * s, e + ws * t, f + wt * t
                        for k in range(channels):
                            x = q[9 + k]
                            v[k, 0] += w * x
                            v[k, 1] += ws * x
                            v[k, 2] += wt * x
        # A little held back towards the plain mean, where neighbours lie in a line or are few.
        total = a
        held = 0.02 * total + 1e-12
        a, d, f = a + 1e-12, d + held, f + held
        # Cramer's rule for the value at the middle alone.
        det = a * (d * f - e * e) - b * (b * f - e * c2) + c2 * (b * e - d * c2)
        for k in range(channels):
            if total <= 1e-9:
                out[i, k] = np.nan
                continue
            top = (
                v[k, 0] * (d * f - e * e) - b * (v[k, 1] * f - e * v[k, 2]) + c2 * (v[k, 1] * e - d * v[k, 2])
            )
            out[i, k] = max(top / det, 0.0) if det > 1e-6 * a * d * f else v[k, 0] / total


class Neighbourhood:
    """Texels (N,) in space: their places and normals (N, 3), and the side in metres of what each covers (N,)."""

    def __init__(self, place: Doubles, normal: Doubles, side: Doubles, threads: int = 2) -> None:
        # What is near in space lies near in memory.
        cell = np.floor(place / (float(np.median(side)) * 4)).astype(np.int64)
        self.sorted = np.lexsort((cell[:, 0], cell[:, 1], cell[:, 2]))
        self.place, self.normal, self.side, self.threads = (
            np.ascontiguousarray(place[self.sorted]),
            np.ascontiguousarray(normal[self.sorted]),
            side[self.sorted],
            threads,
        )

    def fitted(self, values: Doubles, reach: float, guide: Doubles | None = None) -> Doubles:
        """Values (N, C) of each texel by regression over a radius of ``reach`` texels; with a ``guide`` (N,
        G) among those that are alike in it.
        """
        count, radius = len(self.place), self.side * reach
        size, cells = float(np.median(radius)), max(count // 2, 1) * 2 + 1
        starts, order, which, cell = (
            np.zeros(cells + 1, np.int64),
            np.zeros(count, np.int64),
            np.zeros(count, np.int64),
            np.zeros((count, 3), np.int32),
        )
        _sorted_into_cells(self.place, size, cells, cell, starts, order, which)
        made, out = np.zeros(values.shape), np.zeros(values.shape)
        values = values[self.sorted]
        near = np.ascontiguousarray(
            np.concatenate([self.place[order], self.normal[order], cell[order], values[order]], axis=1)
        )
        known = np.zeros((count, 0)) if guide is None else np.ascontiguousarray(guide[self.sorted])
        likes, narrow = np.ascontiguousarray(known[order]), 0.0 if guide is None else 1 / (2 * _LIKE**2)
        edges = np.linspace(0, count, 8 * self.threads + 1).astype(int)

        def fit(span: tuple[int, int]) -> None:
            _regressed(
                *span, self.place, self.normal, radius, size, cells, starts, near, likes, known, narrow, made
            )

        with ThreadPoolExecutor(self.threads) as pool:
            list(pool.map(fit, itertools.pairwise(edges)))
        # A texel of which no neighbour was taken stays as it is.
        out[self.sorted] = np.where(np.isnan(made), values, made)
        return out


def smoothed(
    around: Neighbourhood, even: Doubles, odd: Doubles, straight: Doubles
) -> tuple[Doubles, Doubles]:
    """Light (N, 3) without its noise, and the standard error (N,) that is left of its mean, in lux.

    Args:
        even, odd: (N, 3) lux of two halves of the samples, noise and all, without what came ``straight`` (N,
            3), which is only looked at to weigh errors as they are seen.
    """
    middle = max(float(np.median(even + odd) / 2 + np.median(straight)), 1e-9)

    def seen(lux: Doubles) -> Doubles:
        """Bright light bent down, as a tone curve does."""
        whole = np.maximum(lux + straight, 0)
        return np.asarray(whole / (whole + middle))

    halves = np.concatenate([even, odd], axis=1)
    made, left, guide = (even + odd) / 2, np.zeros(len(even)), None
    for reaches in (REACHES[:-1], REACHES):
        tried, errors = [], []
        for reach in reaches:
            fit = halves if reach == 0 else around.fitted(halves, reach, guide if reach >= _GUIDED else None)
            # Against the half that took no part: bias, what is left of the noise, and the other half's own
            # noise, which is the same for all.
            errors.append(
                ((seen(fit[:, :3]) - seen(odd)) ** 2 + (seen(fit[:, 3:]) - seen(even)) ** 2).sum(axis=1) / 2
            )
            tried.append((fit[:, :3] + fit[:, 3:]) / 2)
        measured = around.fitted(np.stack(errors, axis=1), _ERRORS_OVER)
        best = measured.argmin(axis=1)
        share = np.maximum(around.fitted(np.eye(len(reaches))[best], _CHOICE_OVER), 0)
        share /= np.maximum(share.sum(axis=1, keepdims=True), 1e-12)
        made = sum(share[:, [k]] * tried[k] for k in range(len(reaches)))  # type: ignore[assignment]
        # Taken as it is, a texel shows two halves' noise. Of that a regression leaves what its neighbours
        # divide it by, and adds what it blurs.
        left = np.maximum(measured[np.arange(len(best)), best] - measured[:, 0] / 2, 0) + measured[
            :, 0
        ] / 2 * (share / _COUNTED[: len(reaches)]).sum(axis=1)
        guide = seen(made)
    whole = np.maximum((made + straight).mean(axis=1), 0)
    # The mean of both halves, and back from what is seen, where three channels were added up.
    return made, np.sqrt(left / 3 / 2) * OF_HALVES * (whole + middle) ** 2 / middle
