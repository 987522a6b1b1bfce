"""One polygon cut into triangles."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

_MOST_CLIPPED = 2000


def cut_polygon(points: npt.NDArray[np.float64]) -> list[tuple[int, int, int]]:
    """Triangles of one polygon of more than four (n, 3) points: a fan when convex, else ear clipping in its
    mean plane.
    """
    count = len(points)
    following = np.roll(points, -1, axis=0)
    normal = np.cross(points, following).sum(axis=0)
    axis = int(np.abs(normal).argmax())
    flat = np.delete(points, axis, axis=1)
    edges = np.roll(flat, -1, axis=0) - flat
    turn = edges[:, 0] * np.roll(edges, -1, axis=0)[:, 1] - edges[:, 1] * np.roll(edges, -1, axis=0)[:, 0]
    if (turn >= -1e-12).all() or (turn <= 1e-12).all() or count > _MOST_CLIPPED:
        return [(0, k, k + 1) for k in range(1, count - 1)]
    area = float(
        (flat[:, 0] * np.roll(flat, -1, axis=0)[:, 1] - np.roll(flat, -1, axis=0)[:, 0] * flat[:, 1]).sum()
    )
    sign = 1.0 if area >= 0 else -1.0
    left = list(range(count))
    cut: list[tuple[int, int, int]] = []
    while len(left) > 3:
        for k in range(len(left)):
            a, b, c = left[k - 1], left[k], left[(k + 1) % len(left)]
            if _is_ear(flat, a, b, c, left, sign):
                cut.append((a, b, c))
                left.pop(k)
                break
        else:
            cut.append((left[0], left[1], left[2]))
            left.pop(1)
    return [*cut, (left[0], left[1], left[2])]


def _is_ear(flat: npt.NDArray[np.float64], a: int, b: int, c: int, left: list[int], sign: float) -> bool:
    def side(p: int, q: int, r: int) -> float:
        return sign * float(
            (flat[q, 0] - flat[p, 0]) * (flat[r, 1] - flat[p, 1])
            - (flat[q, 1] - flat[p, 1]) * (flat[r, 0] - flat[p, 0])
        )

    if side(a, b, c) <= 0:
        return False
    return not any(
        side(a, b, p) >= 0 and side(b, c, p) >= 0 and side(c, a, p) >= 0 for p in left if p not in (a, b, c)
    )
