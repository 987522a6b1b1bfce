"""4x4 matrices of column vectors."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from trasloco.scene.model import Doubles

Y_UP_FROM: dict[str, Doubles] = {
    "Y": np.eye(4),
    "Z": np.array([[1, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0], [0, 0, 0, 1]], np.float64),
    "X": np.array([[0, -1, 0, 0], [1, 0, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1]], np.float64),
}
"""Rotation that brings a scene whose up axis is the key to Y up, right-handed."""


def compose(
    translation: Sequence[float] = (0, 0, 0),
    rotation: Sequence[float] = (0, 0, 0, 1),
    scale: Sequence[float] = (1, 1, 1),
) -> Doubles:
    """Translation x rotation (unit quaternion x y z w) x scale, as glTF 2.0 section 3.5.3."""
    x, y, z, w = np.asarray(rotation, np.float64) / max(float(np.linalg.norm(rotation)), 1e-30)
    turn = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    matrix = np.eye(4)
    matrix[:3, :3] = turn * np.asarray(scale, np.float64)
    matrix[:3, 3] = translation
    return matrix


def looking(eye: Sequence[float], target: Sequence[float], up: Sequence[float] = (0, 1, 0)) -> Doubles:
    """A node matrix at ``eye`` whose -Z points to ``target``."""
    back = np.asarray(eye, np.float64) - np.asarray(target, np.float64)
    back /= np.linalg.norm(back)
    right = np.cross(up, back)
    length = np.linalg.norm(right)
    right = right / length if length > 1e-9 else np.array([1.0, 0.0, 0.0])
    matrix = np.eye(4)
    matrix[:3, 0], matrix[:3, 1], matrix[:3, 2], matrix[:3, 3] = right, np.cross(back, right), back, eye
    return matrix


def settle_matrix(up_axis: str, unit_m: float) -> Doubles:
    """From a file's own axis and unit to Y up and metres."""
    matrix: Doubles = Y_UP_FROM[up_axis].copy()
    matrix[:3, :3] *= unit_m
    return matrix


def to_convention(up_axis: str, unit_m: float) -> Doubles:
    """From Y up and metres to another axis and unit."""
    return np.asarray(np.linalg.inv(settle_matrix(up_axis, unit_m)), np.float64)


def decompose(matrix: Doubles) -> tuple[Doubles, Doubles, Doubles]:
    """Translation (3,), unit quaternion x y z w (4,) and scale (3,) of a matrix without shear; a mirroring
    one gets a negative X scale.
    """
    from scipy.spatial.transform import Rotation

    scale = np.linalg.norm(matrix[:3, :3], axis=0)
    if np.linalg.det(matrix[:3, :3]) < 0:
        scale = scale * np.array([-1.0, 1.0, 1.0])
    turn = matrix[:3, :3] / np.where(np.abs(scale) > 1e-30, scale, 1.0)
    flat = np.flatnonzero(np.abs(scale) <= 1e-30)
    if len(flat) == 1:  # what is scaled to nothing along one axis is still turned as the two others say
        k = int(flat[0])
        turn[:, k] = np.cross(turn[:, (k + 1) % 3], turn[:, (k + 2) % 3])
    return (
        matrix[:3, 3].copy(),
        Rotation.from_matrix(turn).as_quat()
        if np.linalg.det(turn) > 1e-9
        else np.array([0.0, 0.0, 0.0, 1.0]),
        scale,
    )
