"""How the UVs of a material lie on its image, in figures."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.results.route import Route
from trasloco.scene.covering import covered
from trasloco.scene.model import Scene
from trasloco.scene.welding import pieces_of

SIDE = 512
"""Covering is counted on a grid of so many texels a side."""
_BESIDE = 1e-3
"""Texels that the grid is moved by, so that no edge runs through the middles of texels and counts for both
sides.
"""
_REPEATS = 4
"""A triangle over more repeats of the image than these is counted over so many."""
_NEAR = 65536.0


def layout_out(route: Route, material: str, parts: Sequence[str], uv_set: int) -> dict[str, Any]:
    """Triangles, islands (pieces that hang together on part and image), shares of the image that is covered,
    of the covered what lies there twice or more, and of the triangles what lies beyond the image; of chosen
    parts, or of all.

    The image is repeated as images are.

    Raises:
        Refused: there is no such material.
    """
    scene = route.settled()
    if material not in scene.materials:
        raise Refused("There is no such material.", material, "Reload the page.")
    uvs, islands = _triangles(scene, material, set(parts), uv_set)
    beyond = (uvs.min(axis=(1, 2)) < -1e-4) | (uvs.max(axis=(1, 2)) > 1 + 1e-4) if len(uvs) else np.zeros(0)
    count = (
        covered([np.asarray(_repeated(uvs) + _BESIDE / SIDE, np.float32)], SIDE) if len(uvs) else np.zeros(1)
    )
    some = int((count > 0).sum())
    return {
        "triangles": len(uvs),
        "islands": islands,
        "covered": some / count.size,
        "twice": int((count > 1).sum()) / max(some, 1),
        "beyond": float(beyond.mean()) if len(uvs) else 0.0,
    }


def _triangles(
    scene: Scene, material: str, parts: set[str], uv_set: int
) -> tuple[npt.NDArray[np.float64], int]:
    """UVs of all triangles (T, 3, 2) in a material, and how many pieces they hang together in."""
    found, islands = [], 0
    for node in scene.parts():
        if parts and node.id not in parts:
            continue
        for primitive in scene.meshes[node.mesh or ""].primitives:
            if primitive.material != material or len(primitive.uvs) <= uv_set or not len(primitive.indices):
                continue
            uv = np.asarray(primitive.uvs[uv_set], np.float64)
            where = np.round(np.concatenate([primitive.positions, uv], axis=1) * _NEAR).astype(np.int64)
            unlike, same = np.unique(where, axis=0, return_inverse=True)
            pieces = pieces_of(same.reshape(-1)[primitive.indices], len(unlike))
            islands += len(np.unique(pieces))
            found.append(uv[primitive.indices])
    return (np.concatenate(found) if found else np.zeros((0, 3, 2))), islands


def _repeated(uvs: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """Triangles laid into the image, once for every repeat of it that they reach."""
    uvs = uvs[np.isfinite(uvs).all(axis=(1, 2))]
    first = np.floor(uvs.min(axis=1))
    laid = uvs - first[:, None]
    reach = np.ceil(np.maximum(laid.max(axis=1) - 1e-9, 1)).astype(int)
    return np.concatenate(
        [
            laid[(reach[:, 0] > x) & (reach[:, 1] > y)] - (x, y)
            for x in range(_REPEATS)
            for y in range(_REPEATS)
        ]
    )
