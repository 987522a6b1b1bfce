"""Faces that lie on one another and look opposite ways, each drawn from its front alone: a curtain and its
lining, backs that were given as faces of their own.

A ray meets only one of two surfaces in one place, and where that looks away it goes on behind both. They are
held apart by what no picture shows, each towards where it looks, so that whoever comes meets the right one.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

APART = 4e-6
"""By how much of the scene's reach each is moved: some steps of single precision there."""
_ODD = np.array([0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9], np.uint64)
"""Odd numbers that spread the bits of a place over 64 (Knuth's multiplicative hashing)."""


def held_apart(positions: npt.NDArray[np.float32], triangles: Any, one_sided: Any) -> npt.NDArray[np.float32]:
    """Points (V, 3) of triangles (T, 3), those of coincident ones among ``one_sided`` (T,) moved along their
    normals; as they are where there are none. Points that both sides share stay.
    """
    corners, normals = _coincident(positions, triangles[one_sided])
    if not len(corners):
        return positions
    around = np.repeat(normals, 3, axis=0)
    count = len(positions)
    toward = np.stack([np.bincount(corners.ravel(), along, count) for along in around.T], axis=1)
    length = np.linalg.norm(toward, axis=1, keepdims=True)
    far = APART * float(np.abs(positions).max())
    moved = positions + far * np.where(length > 1e-3, toward / np.maximum(length, 1e-3), 0)
    return np.ascontiguousarray(moved, np.float32)


def _coincident(positions: npt.NDArray[np.float32], triangles: Any) -> tuple[Any, npt.NDArray[np.float64]]:
    """Triangles (N, 3) that share their three places with one that looks the other way, and their unit normals
    (N, 3).
    """
    # Alike whichever corner comes first; 0 and -0 are one place.
    bits = np.ascontiguousarray(positions + np.float32(0)).view(np.uint32).astype(np.uint64)
    place = (bits * _ODD).sum(axis=1, dtype=np.uint64)
    place = (place ^ (place >> np.uint64(29))) * _ODD[0]
    place ^= place >> np.uint64(32)
    key = place[triangles[:, 0]] + place[triangles[:, 1]] + place[triangles[:, 2]]
    in_order = np.sort(key)
    twice = in_order[1:][in_order[1:] == in_order[:-1]]
    held = np.isin(key, twice) if len(twice) else np.zeros(len(key), np.bool_)
    corners = triangles[held]
    a, b, c = (positions[corners[:, k]].astype(np.float64) for k in range(3))
    normals = np.cross(b - a, c - a)
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-30)
    _, first, group = np.unique(key[held], return_index=True, return_inverse=True)
    facing = (normals * normals[first][group]).sum(axis=1)
    away = np.zeros(len(first), np.bool_)
    away[group[facing < 0]] = True
    return corners[away[group]], normals[away[group]]
