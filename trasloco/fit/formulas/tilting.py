"""Height and normals into each other, and strengths kept equal in effect."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float32]


def depth_of(relief_m: float, repeat_m: float) -> float:
    """Relief depth as :func:`trasloco.scene.relief.normal_from_height` takes it, from metres: how deep full
    white is above black, against the length one repeat of the image covers on the surface.

    Raises:
        ValueError: a repeat without length.
    """
    if repeat_m <= 0:
        raise ValueError("one repeat of the image must cover more than no metres")
    return relief_m / repeat_m


def slopes(normals: npt.NDArray[Any]) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """(dz/du, dz/dv up) of unit normals (H, W, 3): -nx / nz and -ny / nz; grazing ones are held at 89.4
    degrees.
    """
    deep = np.maximum(normals[..., 2].astype(np.float64), 0.01)
    return -normals[..., 0] / deep, -normals[..., 1] / deep


def height_from_normal(normals: npt.NDArray[Any]) -> tuple[Floats, float]:
    """The height field that repeats and comes nearest to normals (H, W, 3), and its depth as a fraction of
    one repeat.

    Frankot and Chellappa 1988: of all integrable fields the one with the least squared difference in slope,
    found in the Fourier domain as
    Z = -i (wu P + wv Q) / (wu^2 + wv^2). The derivative is the central difference that
    :func:`normal_from_height` takes, so that its
    own normals come back to the field they were made of (all but the frequencies a central difference does
    not see).

    Returns:
        heights (H, W) in [0, 1], and the depth that scales them.
    """
    p, q_up = slopes(normals)
    rows, columns = p.shape
    q = -q_up  # rows run down
    wu = np.sin(2 * np.pi * np.fft.fftfreq(columns))[None, :] * columns
    wv = np.sin(2 * np.pi * np.fft.fftfreq(rows))[:, None] * rows
    square = wu**2 + wv**2
    blind = square < 1e-9
    field = np.where(blind, 0, -1j * (wu * np.fft.fft2(p) + wv * np.fft.fft2(q)) / np.where(blind, 1, square))
    z = np.fft.ifft2(field).real
    low, high = float(z.min()), float(z.max())
    depth = high - low
    if depth < 1e-12:
        return np.full(z.shape, 0.5, np.float32), 0.0
    return ((z - low) / depth).astype(np.float32), depth


def strengthened(normals: npt.NDArray[Any], strength: float) -> Floats:
    """Normals (..., 3) with their slopes multiplied: normalize(n x (s, s, 1)), glTF 2.0 section 3.9.3.

    The same as a height field of ``strength`` times the depth.
    """
    made = np.asarray(normals, np.float32) * np.array([strength, strength, 1.0], np.float32)
    return np.asarray(made / np.maximum(np.linalg.norm(made, axis=-1, keepdims=True), 1e-12), np.float32)


def bump_of_strength(strength: float, depth: float) -> float:
    """Relief depth whose normals equal those of ``depth`` read at a normal strength: slopes are linear in
    both.
    """
    return strength * depth
