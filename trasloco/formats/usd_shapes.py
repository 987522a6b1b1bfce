"""Shapes that USD states by numbers alone (UsdGeom cube, sphere, cylinder, cone, capsule, plane), as meshes
with true normals.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt
from pxr import Usd, UsdGeom

from trasloco.scene.extent import within_reach
from trasloco.scene.model import Primitive

SHAPES = ("Cube", "Sphere", "Cylinder", "Cone", "Capsule", "Plane")
_AROUND, _ARC = 48, 12
"""Steps round the axis, and steps along a quarter of a circle."""

Table = npt.NDArray[np.float64]


def shape_primitive(prim: Any) -> Primitive | None:
    """The surface of a shape prim in its own space and unit, or None when it has no extent."""
    kind, at = str(prim.GetTypeName()), Usd.TimeCode.EarliestTime()

    def number(name: str) -> float:
        return float(prim.GetAttribute(name).Get(at) or 0)

    if kind == "Cube":
        made = _cube(number("size") / 2)
    elif kind == "Plane":
        made = _sheet(number("width") / 2, number("length") / 2)
    elif kind == "Sphere":
        made = _turned(_arc(number("radius"), 0.0, -np.pi / 2, np.pi / 2))
    else:
        radius, half = number("radius"), number("height") / 2
        made = _turned({"Cylinder": _cylinder, "Cone": _cone, "Capsule": _capsule}[kind](radius, half))
    points, normals, triangles = made
    if not within_reach(points).all() or np.ptp(points, axis=0).max() <= 0:
        return None
    if prim.HasAttribute("axis"):
        # The shapes are made along Z; a turn of the axes (an even permutation) keeps faces outward.
        turn = {"X": [2, 0, 1], "Y": [1, 2, 0]}.get(str(prim.GetAttribute("axis").Get()), [0, 1, 2])
        points, normals = points[:, turn], normals[:, turn]
    if str(UsdGeom.Gprim(prim).GetOrientationAttr().Get() or "") == "leftHanded":
        triangles = triangles[:, ::-1]
    return Primitive(
        points.astype(np.float32), np.ascontiguousarray(triangles, np.uint32), normals.astype(np.float32)
    )


def _cube(half: float) -> tuple[Table, Table, npt.NDArray[np.int64]]:
    points, normals = [], []
    for axis in range(3):
        for sign in (1.0, -1.0):
            normal = np.zeros(3)
            normal[axis] = sign
            across, up = np.roll(normal, 1) * sign, np.roll(normal, 2)
            points += [half * (normal + a * across + b * up) for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
            normals += [normal] * 4
    start = np.arange(6)[:, None, None] * 4
    return np.array(points), np.array(normals), (start + np.array([[0, 1, 2], [0, 2, 3]])).reshape(-1, 3)


def _sheet(half_width: float, half_length: float) -> tuple[Table, Table, npt.NDArray[np.int64]]:
    points = np.array(
        [
            [-half_width, -half_length, 0],
            [half_width, -half_length, 0],
            [half_width, half_length, 0],
            [-half_width, half_length, 0],
        ],
        np.float64,
    )
    return points, np.tile([0.0, 0.0, 1.0], (4, 1)), np.array([[0, 1, 2], [0, 2, 3]])


def _arc(radius: float, height: float, start: float, end: float) -> list[Table]:
    """One run of a profile, (K, 4): distance from the axis, height, and the normal's two."""
    angle = np.linspace(start, end, max(round((end - start) / (np.pi / 2) * _ARC), 2) + 1)
    away = np.where(np.abs(np.cos(angle)) < 1e-12, 0.0, radius * np.cos(angle))
    return [np.stack([away, height + radius * np.sin(angle), np.cos(angle), np.sin(angle)], axis=1)]


def _run(*rows: tuple[float, float, float, float]) -> Table:
    return np.array(rows, np.float64)


def _cylinder(radius: float, half: float) -> list[Table]:
    return [
        _run((0, -half, 0, -1), (radius, -half, 0, -1)),
        _run((radius, -half, 1, 0), (radius, half, 1, 0)),
        _run((radius, half, 0, 1), (0, half, 0, 1)),
    ]


def _cone(radius: float, half: float) -> list[Table]:
    out, up = np.array([2 * half, radius]) / max(np.hypot(2 * half, radius), 1e-30)
    return [
        _run((0, -half, 0, -1), (radius, -half, 0, -1)),
        _run((radius, -half, out, up), (0, half, out, up)),
    ]


def _capsule(radius: float, half: float) -> list[Table]:
    (low,), (high,) = _arc(radius, -half, -np.pi / 2, 0), _arc(radius, half, 0, np.pi / 2)
    return [np.concatenate([low, high])]


def _turned(runs: list[Table]) -> tuple[Table, Table, npt.NDArray[np.int64]]:
    """Profiles, bottom to top, turned about Z.

    Each run keeps its own normals, so that edges between runs stay hard.
    """
    angle = np.linspace(0, 2 * np.pi, _AROUND + 1)
    cosine, sine = np.cos(angle), np.sin(angle)
    points, normals, triangles, start = [], [], [], 0
    for run in runs:
        away, height, out, up = (run[:, k, None] for k in range(4))
        points.append(
            np.stack(
                [away * cosine, away * sine, np.broadcast_to(height, (len(run), len(angle)))], axis=-1
            ).reshape(-1, 3)
        )
        normals.append(
            np.stack(
                [out * cosine, out * sine, np.broadcast_to(up, (len(run), len(angle)))], axis=-1
            ).reshape(-1, 3)
        )
        place = start + np.arange(len(run) * len(angle)).reshape(len(run), len(angle))
        a, b, c, d = (
            place[:-1, :-1].ravel(),
            place[:-1, 1:].ravel(),
            place[1:, 1:].ravel(),
            place[1:, :-1].ravel(),
        )
        lower, upper = np.repeat(run[:-1, 0] > 0, _AROUND), np.repeat(run[1:, 0] > 0, _AROUND)
        triangles += [np.stack([a, b, c], 1)[lower], np.stack([a, c, d], 1)[upper]]
        start += len(run) * len(angle)
    return np.concatenate(points), np.concatenate(normals), np.concatenate(triangles)
