"""UV sets that a mesh brings along, kept where nothing lies over anything else in them: the artist's seams,
and no charts to make.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from trasloco.light.lightmaps.placing import Place, shelved
from trasloco.scene.charts import Charted
from trasloco.scene.covering import covered
from trasloco.scene.geometry import face_vectors
from trasloco.scene.model import Primitive

_GRID, _HALVINGS = 512, 20
_DOUBLE, _USED = 1e-3, 0.2
"""The most of what is covered that may be covered twice; the least of its rectangle that a layout has to use.
"""
Floats = npt.NDArray[np.float32]


def own_layout(slots: Sequence[Primitive], side: int) -> list[Charted] | None:
    """Every slot in a layout of its own beside the others, as large as its faces are in space; None where one
    has none that can be kept. ``side`` is texels a side of the image that is meant.
    """
    laid = []
    for p in slots:
        found = next((one for uv in p.uvs if (one := _laid(p, uv)) is not None), None)
        if found is None:
            return None
        laid.append(found)
    density, places = _placed([(w, h) for _, w, h in laid], side)
    made = []
    for p, (uv, _, _), place in zip(slots, laid, places, strict=True):
        inside = (uv * np.float32(density) + np.asarray([place.x, place.y], np.float32)) / np.float32(side)
        made.append(Charted(np.arange(len(p.positions), dtype=np.uint32), p.indices, inside))
    return made


def _placed(sizes: Sequence[tuple[float, float]], side: int) -> tuple[float, list[Place]]:
    """Texels a metre at which rectangles of sizes in metres fit into a square together, and where each lies."""
    order = sorted((str(k) for k in range(len(sizes))), key=lambda k: -sizes[int(k)][1])
    low, high = 0.0, side / max(max(size) for size in sizes)
    best: dict[str, Place] = {}
    for _ in range(_HALVINGS):
        density = (low + high) / 2
        boxes = {k: _box(sizes[int(k)], density) for k in order}
        found = shelved(order, boxes, side, 0)
        if len(found) == len(order):
            low, best = density, found
        else:
            high = density
    return low, [best[str(k)] for k in range(len(sizes))]


def _box(size: tuple[float, float], density: float) -> tuple[int, int]:
    return int(np.ceil(size[0] * density)), int(np.ceil(size[1] * density))


def _laid(p: Primitive, uv: Floats) -> tuple[Floats, float, float] | None:
    """A set from its lower corner on, in metres of the surface, with width and height; None where faces lie
    over each other in it, or some nowhere.
    """
    corners = np.asarray(uv[p.indices], np.float64)
    if not len(corners) or not np.isfinite(corners).all():
        return None
    low, high = corners.min(axis=(0, 1)), corners.max(axis=(0, 1))
    extent = float((high - low).max())
    if not extent > 0:
        return None
    corners = (corners - low) / extent
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    flat = 0.5 * np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
    real = 0.5 * np.linalg.norm(face_vectors(p.positions, p.indices), axis=1)
    if ((flat < 1e-12) & (real > 1e-9 * real.sum())).any():
        return None
    width, height = (float(v) for v in (high - low) / extent)
    used = flat.sum() / (width * height) if width * height > 0 else 0.0
    count = covered([corners.astype(np.float32)], _GRID)
    if used < _USED or used > 1 + _DOUBLE or (count > 1).sum() > _DOUBLE * max((count > 0).sum(), 1):
        return None
    scale = float(np.sqrt(real.sum() / flat.sum())) if real.sum() > 0 else 1.0
    return ((uv - low) / extent * scale).astype(np.float32), width * scale, height * scale
