"""What lies under the texels of a lightmap: every triangle that touches one, so that no part of the surface
goes without light.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit
from trasloco.render.arrays import FlatScene
from trasloco.render.starts import Texels
from trasloco.scene.covering import weights_in
from trasloco.scene.model import Lightmap, Scene


@dataclass(frozen=True)
class Covered:
    """A lightmap's surface.

    ``part`` (H, W): number of the part under a texel, -1 for none; ``chart`` (H, W): number of the chart,
    over all parts; ``centre`` (H, W): row of the triangle under the middle, -1 where none is.
    """

    texels: Texels
    part: npt.NDArray[np.int32]
    chart: npt.NDArray[np.int32]
    centre: npt.NDArray[np.int64]

    @property
    def touched(self) -> npt.NDArray[np.bool_]:
        """Texels (H, W) that some triangle touches."""
        return self.part >= 0


@njit()
def _touches(c: Any, x: int, y: int) -> bool:
    """Whether a triangle (3, 2) and the open square of a texel overlap: no edge's outside holds the whole
    square.
    """
    area = (c[1, 0] - c[0, 0]) * (c[2, 1] - c[0, 1]) - (c[2, 0] - c[0, 0]) * (c[1, 1] - c[0, 1])
    sign = 1.0 if area >= 0.0 else -1.0
    for k in range(3):
        ax, ay = c[k, 0], c[k, 1]
        ex, ey = c[(k + 1) % 3, 0] - ax, c[(k + 1) % 3, 1] - ay
        # The corner of the square furthest inside this edge.
        px = x + (0.0 if ey * sign > 0.0 else 1.0)
        py = y + (1.0 if ex * sign > 0.0 else 0.0)
        if (ex * (py - ay) - ey * (px - ax)) * sign <= 1e-9:
            return False
    return True


@njit()
def _walk(corners: Any, width: int, height: int, count: Any, start: Any, rows: Any, fill: bool) -> None:
    for t in range(corners.shape[0]):
        c = corners[t]
        x0, x1 = (
            max(math.floor(min(c[0, 0], c[1, 0], c[2, 0])), 0),
            min(math.ceil(max(c[0, 0], c[1, 0], c[2, 0])), width),
        )
        y0, y1 = (
            max(math.floor(min(c[0, 1], c[1, 1], c[2, 1])), 0),
            min(math.ceil(max(c[0, 1], c[1, 1], c[2, 1])), height),
        )
        for y in range(y0, y1):
            for x in range(x0, x1):
                if _touches(c, x, y):
                    at = y * width + x
                    if fill:
                        rows[start[at] + count[at]] = t
                    count[at] += 1


@njit()
def _centres(corners: Any, spans: Any, rows: Any, width: int, centre: Any) -> None:
    for at in range(spans.shape[0] - 1):
        for k in range(spans[at], spans[at + 1]):
            a, b, c = weights_in(corners[rows[k]], at % width + 0.5, at // width + 0.5)
            if min(a, b, c) >= -1e-6:
                centre[at] = rows[k]
                break


def placed_corners(
    flat: FlatScene, part: int, given: Lightmap, width: int, height: int
) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.float64]]:
    """Triangles (T,) of a part in the flat scene and their corners (T, 3, 2) in the texels of its lightmap."""
    triangles = np.flatnonzero(flat.arrays.triangle_part == part)
    uv = flat.arrays.uv2[flat.arrays.triangles[triangles]].astype(np.float64)
    return triangles, (uv * given.scale + given.offset) * (width, height)


def texels_of(
    flat: FlatScene, scene: Scene, image: str, width: int, height: int, chart_of: npt.NDArray[np.int32]
) -> Covered:
    """The surface under a lightmap. ``chart_of`` (T,) numbers the charts of the flat scene's triangles."""
    found_triangles, found_corners, found_parts = [], [], []
    for number, id in enumerate(flat.part_ids):
        given = scene.nodes[id].lightmap if id in scene.nodes else None
        if given is not None and given.image == image:
            triangles, corners = placed_corners(flat, number, given, width, height)
            found_triangles.append(triangles)
            found_corners.append(corners)
            found_parts.append(np.full(len(triangles), number, np.int32))
    triangles = np.concatenate(found_triangles)
    corners = np.ascontiguousarray(np.concatenate(found_corners))
    parts = np.concatenate(found_parts)
    count = np.zeros(width * height, np.int64)
    _walk(corners, width, height, count, count, np.zeros(0, np.int64), False)
    spans = np.zeros(width * height + 1, np.int64)
    np.cumsum(count, out=spans[1:])
    rows = np.zeros(spans[-1], np.int64)
    count[:] = 0
    _walk(corners, width, height, count, spans, rows, True)
    centre = np.full(width * height, -1, np.int64)
    _centres(corners, spans, rows, width, centre)
    touched = spans[1:] > spans[:-1]
    owner = centre.copy()
    owner[touched & (centre < 0)] = rows[spans[:-1][touched & (centre < 0)]]
    part = np.where(owner >= 0, parts[np.maximum(owner, 0)], -1) if len(parts) else owner
    chart = np.where(owner >= 0, chart_of[triangles[np.maximum(owner, 0)]], -1) if len(parts) else owner
    shape = (height, width)
    return Covered(
        Texels(spans, rows, triangles.astype(np.int64), corners),
        part.astype(np.int32).reshape(shape),
        chart.astype(np.int32).reshape(shape),
        centre.reshape(shape),
    )


def places_under(
    flat: FlatScene, covered: Covered
) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """Place and normal (H, W, 3) of the surface at the middle of each texel; where the middle is not covered,
    at the nearest place of a triangle that touches it. NaN where nothing does.
    """
    centre, texels = covered.centre, covered.texels
    place, normal = np.full((*centre.shape, 3), np.nan), np.full((*centre.shape, 3), np.nan)
    row, column = np.nonzero(covered.touched)
    first = texels.spans[:-1].reshape(centre.shape)[row, column]
    which = np.where(
        centre[row, column] >= 0,
        centre[row, column],
        texels.rows[np.minimum(first, len(texels.rows) - 1)] if len(texels.rows) else 0,
    )
    c = texels.corners[which]
    p, q, m = c[:, 1] - c[:, 0], c[:, 2] - c[:, 0], np.stack([column + 0.5, row + 0.5], axis=1) - c[:, 0]
    area = p[:, 0] * q[:, 1] - q[:, 0] * p[:, 1]
    area = np.where(np.abs(area) < 1e-12, 1e-12, area)
    u, v = (m[:, 0] * q[:, 1] - q[:, 0] * m[:, 1]) / area, (p[:, 0] * m[:, 1] - m[:, 0] * p[:, 1]) / area
    shares = np.clip(np.stack([1 - u - v, u, v], axis=1), 0, 1)
    shares /= np.maximum(shares.sum(axis=1, keepdims=True), 1e-12)
    points = flat.arrays.positions[flat.arrays.triangles[texels.triangles[which]]].astype(np.float64)
    across = np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0])
    place[row, column] = (points * shares[..., None]).sum(axis=1)
    normal[row, column] = across / np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-30)
    return place, normal
