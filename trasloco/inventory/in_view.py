"""Faces found from a place to look from: those in a rectangle of the picture, or under a brush drawn over it.

Places in the picture are in device coordinates: -1 to 1, x to the right, y up.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.inventory.world import WorldTriangles
from trasloco.rays.nearest import nearest
from trasloco.scene.model import Doubles

Faces = npt.NDArray[np.bool_]
_INSET = 0.8
"""How far from a face's middle to its corners it is looked for, when the middle is hidden."""
_MOST_RAYS = 200_000


@dataclass(frozen=True)
class Eye:
    """Where one looks from: (4, 4) camera to world, the full vertical angle, width by height of the picture."""

    matrix: Doubles
    yfov_rad: float
    aspect: float

    @property
    def place(self) -> Doubles:
        return np.asarray(self.matrix[:3, 3])

    def seen_at(self, points: npt.NDArray[np.floating]) -> Doubles:
        """Device coordinates (N, 2) of points (N, 3); not numbers where they lie behind."""
        local = (points - self.place) @ np.linalg.inv(self.matrix[:3, :3]).T
        ahead = np.where(local[:, 2] < 0, -local[:, 2], np.nan)
        high = math.tan(self.yfov_rad / 2)
        return np.stack([local[:, 0] / ahead / high / self.aspect, local[:, 1] / ahead / high], axis=1)

    def toward(self, places: Doubles) -> Doubles:
        """Directions (N, 3) in the world through device coordinates (N, 2)."""
        high = math.tan(self.yfov_rad / 2)
        local = np.stack(
            [places[:, 0] * high * self.aspect, places[:, 1] * high, -np.ones(len(places))], axis=1
        )
        return local @ self.matrix[:3, :3].T


def faces_in(
    world: WorldTriangles, eye: Eye, low: Sequence[float], high: Sequence[float], through: bool
) -> Faces:
    """Faces (T,) whose middle lies in a rectangle of the picture: those that look at the eye and that nothing
    hides, or (``through``) all of them.
    """
    middles = world.positions[world.triangles].mean(axis=1)
    at = eye.seen_at(middles)
    within: Faces = np.asarray(((at >= np.asarray(low)) & (at <= np.asarray(high))).all(axis=1))
    return within if through else _not_hidden(world, eye, within)


def faces_under(
    world: WorldTriangles, eye: Eye, stroke: Sequence[Sequence[float]], reach: float, through: bool
) -> Faces:
    """Faces (T,) that a brush touches: those that are seen under it, or (``through``) all whose middle is.

    Args:
        stroke: the way of its middle, points in device coordinates. reach: its radius, in half heights of the
            picture.
    """
    way = np.asarray(stroke, np.float64).reshape(-1, 2)
    wide = np.array([eye.aspect, 1.0])
    middles = world.positions[world.triangles].mean(axis=1)
    near = _distance(eye.seen_at(middles) * wide, way * wide) <= reach
    if through:
        return near
    found = _not_hidden(world, eye, near)
    step = max(reach / 4, 1e-4)
    low, high = (way * wide).min(axis=0) - reach, (way * wide).max(axis=0) + reach
    step = max(step, math.sqrt(float(np.prod(high - low)) / _MOST_RAYS))
    x, y = np.meshgrid(*(np.arange(low[k], high[k] + step, step) for k in range(2)))
    grid = np.stack([x.ravel(), y.ravel()], axis=1)
    grid = np.concatenate([way * wide, grid[_distance(grid, way * wide) <= reach]])
    directions = eye.toward(grid / wide).astype(np.float32)
    hit, _ = nearest(world.rays, np.broadcast_to(eye.place.astype(np.float32), directions.shape), directions)
    found[hit[hit >= 0]] = True
    return found


def _distance(points: Doubles, way: Doubles) -> Doubles:
    """How far (N,) points (N, 2) lie from a way through points (W, 2)."""
    best = np.linalg.norm(points - way[0], axis=1)
    for start, end in itertools.pairwise(way):
        along = end - start
        length = float(along @ along)
        if length > 0:
            share = np.clip((points - start) @ along / length, 0, 1)[:, None]
            best = np.fmin(best, np.linalg.norm(points - start - share * along, axis=1))
    return np.where(np.isfinite(best), best, np.inf)


def _not_hidden(world: WorldTriangles, eye: Eye, among: Faces) -> Faces:
    """Those of some faces that look at the eye and that it sees: their middle, or a place towards a corner."""
    numbers = np.flatnonzero(among)
    corners = world.positions[world.triangles[numbers]].astype(np.float64)
    middles = corners.mean(axis=1)
    out = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    facing = ((eye.place - middles) * out).sum(axis=1) > 0
    numbers, corners, middles = numbers[facing], corners[facing], middles[facing]
    found = np.zeros(len(among), bool)
    spots = np.concatenate(
        [middles[:, None], middles[:, None] + _INSET * (corners - middles[:, None])], axis=1
    )
    directions = (spots.reshape(-1, 3) - eye.place).astype(np.float32)
    hit, distance = nearest(
        world.rays, np.broadcast_to(eye.place.astype(np.float32), directions.shape), directions
    )
    # What lies in the same place is not hidden by it.
    seen = (hit == np.repeat(numbers, spots.shape[1])) | (distance > 1 - 1e-5)
    found[numbers[seen.reshape(-1, spots.shape[1]).any(axis=1)]] = True
    return found
