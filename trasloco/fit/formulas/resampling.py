"""Lanczos-3 resampling of float planes: the filter widened when shrinking, weights renormalised at the
borders.

Two passes, rows first so that the inner loop runs along memory; compiled, and without the interpreter lock.
Filter libraries at
hand take several times as long as writing the result does, which is the time an artist waits for anyway.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit

_LOBES = 3


def lanczos_weights(source: int, target: int) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.float32]]:
    """For each target sample the first source sample (target,) and weights (target, taps) that sum to 1.

    Sample centres are at (i + 0.5) / size. The kernel is sinc(x) sinc(x / 3) for |x| < 3 (Duchon 1979).
    """
    scale = max(source / target, 1.0)
    centers = (np.arange(target) + 0.5) * source / target - 0.5
    taps = min(int(np.ceil(2 * _LOBES * scale)) + 1, source)
    first = np.clip(np.floor(centers - _LOBES * scale).astype(np.int64) + 1, 0, source - taps)
    x = (first[:, None] + np.arange(taps) - centers[:, None]) / scale
    weights = np.where(np.abs(x) < _LOBES, np.sinc(x) * np.sinc(x / _LOBES), 0.0)
    return first, (weights / weights.sum(axis=1, keepdims=True)).astype(np.float32)


@njit(nogil=True, fastmath=True)
def _rows(values: Any, first: Any, weights: Any, out: Any) -> None:
    """(H, N) to (target, N)."""
    for y in range(out.shape[0]):
        for i in range(out.shape[1]):
            out[y, i] = 0.0
        for k in range(weights.shape[1]):
            weight = weights[y, k]
            row = first[y] + k
            for i in range(out.shape[1]):
                out[y, i] += weight * values[row, i]


_TOGETHER = 8
"""Rows whose columns are resampled together: side by side in memory, they are one vector."""


@njit(nogil=True, fastmath=True)
def _columns(values: Any, first: Any, weights: Any, out: Any) -> None:
    """(H, W, C) to (H, target, C)."""
    height, width, channels = values.shape
    beside = np.zeros((width, _TOGETHER * channels), np.float32)
    total = np.zeros(_TOGETHER * channels, np.float32)
    for top in range(0, height, _TOGETHER):
        rows = min(_TOGETHER, height - top)
        for r in range(rows):
            for x in range(width):
                for c in range(channels):
                    beside[x, r * channels + c] = values[top + r, x, c]
        for x in range(out.shape[1]):
            total[:] = np.float32(0)
            for k in range(weights.shape[1]):
                weight, source = weights[x, k], beside[first[x] + k]
                for i in range(len(total)):
                    total[i] += weight * source[i]
            for r in range(rows):
                for c in range(channels):
                    out[top + r, x, c] = total[r * channels + c]


_ACROSS = 2048
"""Values of a row that are summed at a time, so that they and their sum stay in the nearest cache."""


@njit(nogil=True, fastmath=True)
def _of_codes(codes: Any, table: Any, down: Any, across: Any, out: Any) -> None:
    """(H, W, C) codes to (height, width, C) of what a table says of them: some rows of the result at a time,
    so that nothing between the two is ever larger than a cache.
    """
    (first, weights), channels, wide = down, out.shape[2], codes.shape[1] * codes.shape[2]
    taps, height = weights.shape[1], out.shape[0]
    most = taps
    for top in range(0, height, _TOGETHER):
        most = max(most, first[min(top + _TOGETHER, height) - 1] + taps - first[top])
    held = np.zeros((most, wide), np.float32)
    band = np.zeros((_TOGETHER, codes.shape[1], channels), np.float32)
    read = 0
    for top in range(0, height, _TOGETHER):
        rows = min(_TOGETHER, height - top)
        while read < first[top + rows - 1] + taps:
            row, told = held[read % most], codes[read].reshape(-1)
            for i in range(wide):
                row[i] = table[told[i]]
            read += 1
        for r in range(rows):
            whole = band[r].reshape(-1)
            for left in range(0, wide, _ACROSS):
                made = whole[left : min(left + _ACROSS, wide)]
                made[:] = np.float32(0)
                for k in range(taps):
                    weight = weights[top + r, k]
                    row = held[(first[top + r] + k) % most, left : left + len(made)]
                    for i in range(len(made)):
                        made[i] += weight * row[i]
        _columns(band[:rows], across[0], across[1], out[top : top + rows])


def resample(values: npt.NDArray[Any], width: int, height: int) -> npt.NDArray[np.float32]:
    """Resize of (H, W) or (H, W, C) linear values; overshoot is left in for the caller to clip."""
    planes = np.ascontiguousarray(values if values.ndim == 3 else values[..., None], np.float32)
    rows, columns, channels = planes.shape
    if rows != height:
        taller = np.empty((height, columns, channels), np.float32)
        _rows(planes.reshape(rows, -1), *lanczos_weights(rows, height), taller.reshape(height, -1))
        planes = taller
    if columns != width:
        wider = np.empty((height, width, channels), np.float32)
        _columns(planes, *lanczos_weights(columns, width), wider)
        planes = wider
    return planes if values.ndim == 3 else planes[..., 0]


def resample_codes(
    codes: npt.NDArray[Any], table: npt.NDArray[np.float32], width: int, height: int
) -> npt.NDArray[np.float32]:
    """Resize of what a table says of (H, W) or (H, W, C) unsigned codes, as :func:`resample` of
    ``table[codes]`` but without ever holding that.
    """
    planes = np.ascontiguousarray(codes if codes.ndim == 3 else codes[..., None])
    rows, columns, channels = planes.shape
    if rows == height or columns == width:
        return resample(table[codes], width, height)
    made = np.empty((height, width, channels), np.float32)
    _of_codes(planes, table, lanczos_weights(rows, height), lanczos_weights(columns, width), made)
    return made if codes.ndim == 3 else made[..., 0]


def averaged(values: npt.NDArray[Any], width: int, height: int) -> npt.NDArray[np.float64]:
    """Means of an (H, W) field over the box of source texels each target texel covers, partly covered ones by
    their share: exact sums, by differences of running sums.
    """
    rows = _boxes(np.asarray(values, np.float64), height)
    return np.ascontiguousarray(_boxes(np.ascontiguousarray(rows.T), width).T)


def _boxes(values: npt.NDArray[np.float64], target: int) -> npt.NDArray[np.float64]:
    source = len(values)
    running = np.concatenate([np.zeros((1, values.shape[1])), np.cumsum(values, axis=0)])
    edges = np.arange(target + 1) * source / target
    low = np.minimum(edges.astype(np.int64), source)
    share = (edges - low)[:, None]
    at = running[low] + share * values[np.minimum(low, source - 1)]
    return np.asarray((at[1:] - at[:-1]) * target / source)
