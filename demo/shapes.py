"""Building blocks of geometry: grids, boxes, lathes, tubes.

All return positions, normals, UVs (v down) and triangles.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from trasloco.scene.geometry import smooth_normals

Array = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Shape:
    """A piece of geometry: positions (N, 3) metres, normals (N, 3), uvs (N, 2), triangles (M, 3), colours (N,
    3) linear or None.
    """

    positions: Array
    normals: Array
    uvs: Array
    triangles: npt.NDArray[np.int64]
    colors: Array | None = None

    def moved(self, x: float = 0, y: float = 0, z: float = 0) -> Shape:
        return replace(self, positions=self.positions + np.array([x, y, z]))

    def scaled(self, x: float, y: float, z: float) -> Shape:
        factor = np.array([x, y, z])
        normals = self.normals / factor
        return replace(
            self,
            positions=self.positions * factor,
            normals=normals / np.linalg.norm(normals, axis=1, keepdims=True),
        )

    def turned(self, axis: str, degrees: float) -> Shape:
        c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
        matrix = {
            "x": [[1, 0, 0], [0, c, -s], [0, s, c]],
            "y": [[c, 0, s], [0, 1, 0], [-s, 0, c]],
            "z": [[c, -s, 0], [s, c, 0], [0, 0, 1]],
        }[axis]
        return replace(
            self, positions=self.positions @ np.array(matrix).T, normals=self.normals @ np.array(matrix).T
        )

    def painted(self, color: tuple[float, float, float]) -> Shape:
        return replace(self, colors=np.tile(np.array(color, np.float64), (len(self.positions), 1)))

    def tiled(self, u: float, v: float) -> Shape:
        return replace(self, uvs=self.uvs * np.array([u, v]))

    def reversed(self) -> Shape:
        """Faces looking the other way."""
        return replace(self, triangles=self.triangles[:, ::-1], normals=-self.normals)


def joined(*shapes: Shape) -> Shape:
    starts = np.cumsum([0, *(len(s.positions) for s in shapes[:-1])])
    colored = any(s.colors is not None for s in shapes)
    colors = (
        np.concatenate([s.colors if s.colors is not None else np.ones_like(s.positions) for s in shapes])
        if colored
        else None
    )
    return Shape(
        np.concatenate([s.positions for s in shapes]),
        np.concatenate([s.normals for s in shapes]),
        np.concatenate([s.uvs for s in shapes]),
        np.concatenate([s.triangles + start for s, start in zip(shapes, starts)]),
        colors,
    )


def surface(across: int, along: int, at: Callable[[Array, Array], Array]) -> Shape:
    """A grid of ``at(u, v)``; u runs right and v down, and the faces look to where u x (-v) points."""
    u, v = np.meshgrid(np.linspace(0, 1, across + 1), np.linspace(0, 1, along + 1))
    positions = at(u.ravel(), v.ravel())
    index = np.arange((across + 1) * (along + 1)).reshape(along + 1, across + 1)
    a, b, c, d = (
        index[:-1, :-1].ravel(),
        index[:-1, 1:].ravel(),
        index[1:, :-1].ravel(),
        index[1:, 1:].ravel(),
    )
    triangles = np.concatenate([np.stack([a, c, b], 1), np.stack([b, c, d], 1)])
    corners = positions[triangles]
    # Rows that shrink to a point (poles) leave only one triangle of each pair.
    triangles = triangles[
        np.min([np.linalg.norm(corners[:, k] - corners[:, k - 1], axis=1) for k in range(3)], axis=0) > 1e-9
    ]
    normals = smooth_normals(positions.astype(np.float32), triangles.astype(np.uint32)).astype(np.float64)
    return Shape(positions, normals, np.stack([u.ravel(), v.ravel()], 1), triangles)


def box(width: float, height: float, depth: float, repeat: float | None = None) -> Shape:
    """A closed box around the origin with flat faces.

    ``repeat`` is metres a texture repeat; None maps each face to the whole image.
    """
    sides = []
    for axis, up, out in (
        ((1, 0, 0), (0, 1, 0), (0, 0, 1)),
        ((-1, 0, 0), (0, 1, 0), (0, 0, -1)),
        ((0, 0, -1), (0, 1, 0), (1, 0, 0)),
        ((0, 0, 1), (0, 1, 0), (-1, 0, 0)),
        ((1, 0, 0), (0, 0, -1), (0, 1, 0)),
        ((1, 0, 0), (0, 0, 1), (0, -1, 0)),
    ):
        right, top, normal = (np.array(v, np.float64) for v in (axis, up, out))
        corners = (
            np.array(
                [
                    (-right + top + normal),
                    (right + top + normal),
                    (-right - top + normal),
                    (right - top + normal),
                ]
            )
            * np.array([width, height, depth])
            / 2
        )
        size = np.array([abs(right @ [width, height, depth]), abs(top @ [width, height, depth])])
        uvs = np.array([[0, 0], [1, 0], [0, 1], [1, 1]], np.float64) * (size / repeat if repeat else 1)
        sides.append(Shape(corners, np.tile(normal, (4, 1)), uvs, np.array([[0, 2, 1], [1, 2, 3]])))
    return joined(*sides)


def lathe(
    profile: list[tuple[float, float]],
    segments: int = 40,
    repeat: tuple[float, float] = (1, 1),
    smooth: bool = True,
) -> Shape:
    """A profile of (radius, height), from bottom to top, turned about Y; outside is to the right of the
    profile walked upwards. Ends nearer the axis than a millimetre close in a point.
    """
    points = np.array(profile, np.float64)
    points[[0, -1], 0] = np.where(points[[0, -1], 0] <= 0.001, 0.0, points[[0, -1], 0])
    lengths = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])

    def at(u: Array, v: Array) -> Array:
        s = (1 - v) * lengths[-1]
        radius, height = np.interp(s, lengths, points[:, 0]), np.interp(s, lengths, points[:, 1])
        angle = u * 2 * np.pi
        return np.stack([radius * np.sin(angle), height, radius * np.cos(angle)], 1)

    rows = max(len(profile) - 1, 1)
    finer = rows * (2 if smooth else 1)
    shape = surface(
        segments,
        finer,
        lambda u, v: at(u, 1 - np.interp(1 - v, np.linspace(0, 1, rows + 1), lengths / lengths[-1])),
    )
    return shape.tiled(*repeat)


def tube(points: list[tuple[float, float, float]], radius: float, segments: int = 8) -> Shape:
    """A round tube along a line of points; capped, unless the line comes back to its start."""
    path = np.array(points, np.float64)
    ring = bool(np.linalg.norm(path[0] - path[-1]) < 1e-9)
    if ring:
        path[-1] = path[0]
    ahead = np.gradient(path, axis=0)
    if ring:
        ahead[0] = ahead[-1] = path[1] - path[-2]
    ahead /= np.linalg.norm(ahead, axis=1, keepdims=True)
    helper = np.where(np.abs(ahead[:, 1:2]) < 0.9, [[0.0, 1, 0]], [[1.0, 0, 0]])
    side = np.cross(ahead, helper)
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    other = np.cross(ahead, side)
    count = len(path) - 1

    def at(u: Array, v: Array) -> Array:
        row = np.round(v * count).astype(int)
        angle = u * 2 * np.pi
        return np.asarray(
            path[row] + radius * (np.cos(angle)[:, None] * side[row] - np.sin(angle)[:, None] * other[row])
        )

    shape = surface(segments, count, at)
    return (
        shape
        if ring
        else joined(
            shape,
            *(
                _cap(
                    at(np.linspace(0, 1, segments + 1), np.full(segments + 1, end)),
                    path[int(end) * count],
                    ahead[int(end) * count] * (1 if end else -1),
                )
                for end in (0.0, 1.0)
            ),
        )
    )


def _cap(rim: Array, center: Array, out: Array) -> Shape:
    """A disc over a closed rim (n + 1, 3), looking towards ``out``."""
    count = len(rim) - 1
    positions = np.concatenate([[center], rim])
    k = np.arange(1, count + 1)
    triangles = np.stack([np.zeros(count, np.int64), k, k + 1], axis=1)
    if np.cross(rim[0] - center, rim[1] - center) @ out < 0:
        triangles = triangles[:, ::-1]
    radius = np.linalg.norm(rim - center, axis=1).max()
    angle = np.linspace(0, 2 * np.pi, count + 1)
    uvs = np.concatenate(
        [[[0.5, 0.5]], 0.5 + 0.5 * np.stack([np.cos(angle), np.sin(angle)], axis=1) * (radius > 0)]
    )
    return Shape(positions, np.tile(out, (len(positions), 1)), uvs, triangles)


def ball(radius: float, segments: int = 28) -> Shape:
    angles = np.linspace(-np.pi / 2, np.pi / 2, segments // 2 + 1)
    return lathe([(max(radius * np.cos(a), 0.0), radius * np.sin(a)) for a in angles], segments, smooth=False)
