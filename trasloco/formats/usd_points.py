"""Points that move one by one over time (sampled points), as morph targets: one for each moment that is kept,
with weights that lead from one to the next.

USD takes points between two samples along straight lines (OpenUSD, attribute value resolution), and so do two
morph targets whose weights change places: nothing is lost but the moments that lie on such a line already.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt
from pxr import Usd, UsdGeom

from trasloco.scene.geometry import smooth_normals
from trasloco.scene.model import Channel, Floats, MorphTarget, Primitive

_NEAR = 1e-4
"""How far off a moment may be that is not kept, as a share of the mesh's extent."""
_MOST_BYTES, _MOST_READ = 2**28, 2**31
"""Bytes of offsets that are kept, and that are read to choose among."""


@dataclass(frozen=True)
class PointMotion:
    """Moments of a mesh's points.

    Attributes:
        times_s: (K,) of those kept. offsets: (K, P, 3) float32 from the points at rest. samples: how many
            there were. largest: the most that any sample is off, in the mesh's own unit.
    """

    times_s: npt.NDArray[np.float64]
    offsets: Floats
    samples: int
    largest: float

    def names(self) -> list[str]:
        return [f"moment {k + 1}" for k in range(len(self.times_s))]

    def channel(self, part: str) -> Channel:
        """Each moment's weight is 1 at its time and 0 at all others."""
        return Channel(
            part, "weights", self.times_s.astype(np.float32), np.eye(len(self.times_s), dtype=np.float32)
        )

    def on(self, primitive: Primitive, points: npt.NDArray[np.int64]) -> Primitive:
        """A primitive with a morph target for each moment; ``points`` (N,) is where each vertex came from."""
        rest = (
            smooth_normals(primitive.positions, primitive.indices) if primitive.normals is not None else None
        )
        morphs = []
        for offsets in self.offsets:
            moved = np.ascontiguousarray(offsets[points])
            turned = None
            if rest is not None:
                turned = smooth_normals(primitive.positions + moved, primitive.indices) - rest
            morphs.append(MorphTarget(moved, turned))
        return replace(primitive, morphs=tuple(morphs))


def point_motion(prim: Any, rest: npt.NDArray[Any], rate: float) -> PointMotion | str | None:
    """The motion of a mesh's points against ``rest`` (P, 3). None where they stand still; a reason where it
    cannot be carried.

    ``rate`` is time codes a second.
    """
    attribute = UsdGeom.Mesh(prim).GetPointsAttr()
    codes = attribute.GetTimeSamples()
    if len(codes) < 2:
        return None
    if len(codes) * rest.size * 4 > _MOST_READ:
        return f"{len(codes)} moments of {len(rest)} points are more than can be chosen among"
    tables = []
    for code in codes:
        points = np.asarray(attribute.Get(Usd.TimeCode(code)), np.float64).reshape(-1, 3)
        if points.shape != rest.shape or not np.isfinite(points).all():
            return "the number of points changes, or some are no numbers"
        tables.append((points - rest).astype(np.float32))
    offsets, times = np.stack(tables), np.array(codes) / rate
    if not (offsets != offsets[0]).any():
        return None
    extent = max(float(np.ptp(rest, axis=0).max()), float(np.abs(offsets).max()), 1e-12)
    near = _NEAR * extent
    kept, largest = kept_moments(offsets, times, near)
    while len(kept) * rest.size * 4 > _MOST_BYTES and len(kept) > 2:
        near *= 2
        kept, largest = kept_moments(offsets, times, near)
    return PointMotion(times[kept], offsets[kept], len(codes), largest)


def kept_moments(
    offsets: Floats, times: npt.NDArray[np.float64], near: float
) -> tuple[npt.NDArray[np.int64], float]:
    """Moments (K,) between which straight lines come within ``near`` of all others, and the most any is off:
    the first and last, and where a line is too far off the moment that is farthest (Douglas and Peucker 1973,
    in time).
    """
    kept, largest = {0, len(times) - 1}, 0.0
    waiting = [(0, len(times) - 1)]
    while waiting:
        first, last = waiting.pop()
        if last - first < 2:
            continue
        share = ((times[first + 1 : last] - times[first]) / (times[last] - times[first]))[:, None, None]
        lines = offsets[first] * (1 - share) + offsets[last] * share
        off = np.linalg.norm(offsets[first + 1 : last] - lines, axis=2).max(axis=1)
        farthest = int(off.argmax())
        if off[farthest] > near:
            middle = first + 1 + farthest
            kept.add(middle)
            waiting += [(first, middle), (middle, last)]
        else:
            largest = max(largest, float(off[farthest]))
    return np.array(sorted(kept), np.int64), largest
