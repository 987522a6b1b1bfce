"""Flat vertex colours made an image as a palette: a square of colour for each, every face lying on the centre
of its own.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.mends.id_colors import flat_face_colors
from trasloco.scene.geometry import taken, with_uv_set
from trasloco.scene.model import Scene

MOST_COLORS = 1024
_CELL = 8
"""Texels a side of each colour's square, so that neither filtering nor two smaller levels mix neighbours at
its centre.
"""


def palette_of(scene: Scene, material: str) -> npt.NDArray[np.float32] | None:
    """The (K, 3) distinct linear colours of a material whose every face has one colour; None otherwise, or
    with too many.
    """
    found = []
    for mesh in scene.meshes.values():
        for p in mesh.primitives:
            if p.material != material or not len(p.indices):
                continue
            own = np.ones((len(p.indices), 3)) if p.colors is None else flat_face_colors(p.colors, p.indices)
            if own is None:
                return None
            found.append(np.unique(own.round(5), axis=0))
    colors = np.unique(np.concatenate(found), axis=0) if found else np.zeros((0, 3))
    return colors.astype(np.float32) if 0 < len(colors) <= MOST_COLORS else None


def palette_side(count: int) -> int:
    """Texels a side of the image that holds so many colours: a power of two."""
    return int(2 ** math.ceil(math.log2(math.ceil(math.sqrt(count)) * _CELL)))


def palette_image(colors: npt.NDArray[Any], side: int) -> npt.NDArray[np.float32]:
    """(side, side, 3) linear, colour k in the square of column k % n and row k // n."""
    across = side // _CELL
    cells = np.zeros((across, across, 3), np.float32)
    cells.reshape(-1, 3)[: len(colors)] = colors
    cells.reshape(-1, 3)[len(colors) :] = colors[-1]
    return np.repeat(np.repeat(cells, _CELL, axis=0), _CELL, axis=1)


def with_palette_uvs(scene: Scene, material: str, colors: npt.NDArray[Any], side: int) -> tuple[Scene, int]:
    """Every primitive of the material with a new UV set in which each face lies on its colour's centre; the
    number of that set.

    Vertices that faces of two colours share are split.
    """
    across = side // _CELL
    most = max(
        (len(p.uvs) for m in scene.meshes.values() for p in m.primitives if p.material == material), default=0
    )
    meshes = dict(scene.meshes)
    for id, mesh in scene.meshes.items():
        made = []
        for p in mesh.primitives:
            if p.material != material or not len(p.indices):
                made.append(p)
                continue
            own = np.ones((len(p.indices), 3)) if p.colors is None else flat_face_colors(p.colors, p.indices)
            assert own is not None
            number = (
                np.argmin(np.abs(own[:, None, :] - colors[None]).max(axis=2), axis=1)
                if len(colors) * len(own) < 4e6
                else np.array([np.argmin(np.abs(colors - c).max(axis=1)) for c in own])
            )
            pairs = np.stack([p.indices.reshape(-1).astype(np.int64), np.repeat(number, 3)], axis=1)
            unique, inverse = np.unique(pairs, axis=0, return_inverse=True)
            new = taken(p, unique[:, 0], inverse.reshape(-1, 3).astype(np.uint32))
            centers = np.stack([unique[:, 1] % across + 0.5, unique[:, 1] // across + 0.5], axis=1) * (
                _CELL / side
            )
            made.append(with_uv_set(new, most, centers))
        meshes[id] = replace(mesh, primitives=tuple(made))
    return replace(scene, meshes=meshes), most
