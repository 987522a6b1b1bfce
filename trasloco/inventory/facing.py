"""Which pieces show their backs to the outside, by looking from them with rays.

From points on a piece, rays leave on the front side and on the back side. A ray that flies free has seen the
outside; one
that ends on the same part was inside it; one that ends on another part has seen little when that part is near
against the piece's
own size (it may be the floor of a box that this is the lid of), and much when it is far. A piece whose back
sees the outside and whose front sees itself looks away. An
open sheet sees the outside from both sides, and nothing is claimed.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.inventory.world import WorldTriangles
from trasloco.rays.nearest import nearest

_SAMPLES, _DIRECTIONS, _MOST_RAYS = 24, 8, 600_000
_NEAR, _FAR, _MARGIN, _SEED = 0.2, 0.8, 0.25, 5


@dataclass(frozen=True)
class Facing:
    """Per piece: share of the outside seen from the front and the back, in [0, 1], and the number of faces.

    Arrays (P,).
    """

    front: npt.NDArray[np.float64]
    back: npt.NDArray[np.float64]
    faces: npt.NDArray[np.int64]

    @property
    def away(self) -> npt.NDArray[np.bool_]:
        """Pieces that look away."""
        return (self.back > self.front + _MARGIN) & (self.front < 0.5 * self.back)


def measure_facing(world: WorldTriangles) -> Facing:
    """Look from every piece; samples are spread by area, fewer each when there are very many pieces."""
    count = int(world.piece.max(initial=-1)) + 1
    faces = np.bincount(world.piece, minlength=count)
    if count == 0:
        return Facing(np.zeros(0), np.zeros(0), faces)
    rng = np.random.default_rng(_SEED)
    samples = max(2, min(_SAMPLES, _MOST_RAYS // max(count * _DIRECTIONS * 2, 1)))
    chosen = sample_faces(world, count, samples, rng)
    corners = world.positions[world.triangles[chosen]].astype(np.float64)
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(normals, axis=1)
    sound = length > 1e-20
    chosen, corners, normals = chosen[sound], corners[sound], normals[sound] / length[sound, None]
    centers = corners.mean(axis=1)
    # An offset well under the thinnest real sheet, well above the rounding of the coordinates.
    lift = 1e-5 * max(float(np.ptp(world.positions, axis=0).max()), 1e-6)
    sizes = _piece_sizes(world, count)
    seen = np.zeros((2, count))
    asked = np.zeros((2, count))
    for side, sign in enumerate((1.0, -1.0)):
        out = np.repeat(normals * sign, _DIRECTIONS, axis=0)
        ball = rng.standard_normal(out.shape)
        ball /= np.linalg.norm(ball, axis=1, keepdims=True)
        directions = out * 1.02 + ball
        directions /= np.linalg.norm(directions, axis=1, keepdims=True)
        origins = np.repeat(centers + normals * sign * lift, _DIRECTIONS, axis=0)
        hit, distance = nearest(world.rays, origins.astype(np.float32), directions.astype(np.float32))
        own = np.repeat(world.piece[chosen], _DIRECTIONS)
        met, part = world.part_of(np.maximum(hit, 0)), np.repeat(world.part_of(chosen), _DIRECTIONS)
        reach = np.minimum(np.where(hit < 0, 0, distance) / np.maximum(sizes[own], 1e-12), 1)
        value = np.where(hit < 0, 1.0, np.where(met == part, 0.0, _NEAR + (_FAR - _NEAR) * reach))
        np.add.at(seen[side], own, value)
        np.add.at(asked[side], own, 1)
    shares = seen / np.maximum(asked, 1)
    return Facing(shares[0], shares[1], faces)


def sample_faces(
    world: WorldTriangles, count: int, samples: int, rng: np.random.Generator
) -> npt.NDArray[np.int64]:
    """Face numbers, ``samples`` a piece, drawn by area."""
    order = world.by_piece
    total = np.cumsum(world.areas[order] + np.float32(1e-30), dtype=np.float64)
    ends = np.cumsum(np.bincount(world.piece, minlength=count))
    low = np.concatenate([[0.0], total[ends[:-1] - 1]])
    high = total[ends - 1]
    spread = (np.arange(samples) + rng.random((count, samples))) / samples
    targets = low[:, None] + spread * (high - low)[:, None]
    found = np.minimum(np.searchsorted(total, targets.reshape(-1), side="right"), len(total) - 1)
    return np.asarray(found if isinstance(order, slice) else order[found], np.int64)


def _piece_sizes(world: WorldTriangles, count: int) -> npt.NDArray[np.float64]:
    """Diagonal of each piece's box."""
    order = world.by_piece
    starts = np.concatenate([[0], np.cumsum(np.bincount(world.piece, minlength=count))[:-1]])
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    for corner in range(3):
        points = world.positions[world.triangles[order][:, corner]]
        low = np.minimum(low, np.minimum.reduceat(points, starts))
        high = np.maximum(high, np.maximum.reduceat(points, starts))
    return np.asarray(np.linalg.norm(high - low, axis=1))
