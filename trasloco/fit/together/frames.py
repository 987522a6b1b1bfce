"""Relief between two UV sets: directions that are told along the old ones, told along the new ones."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit
from trasloco.scene.geometry import smooth_normals
from trasloco.scene.images import Image
from trasloco.scene.layers import values_on
from trasloco.scene.model import Input, Primitive
from trasloco.scene.tangent_frames import tangents

Floats = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Framed:
    """Normals (N, 3) and tangents (N, 4) of the vertices of a slot, along one of its UV sets."""

    normals: Floats
    tangents: Floats

    def taken(self, origin: npt.NDArray[Any]) -> Framed:
        """Of vertices that are copies of these."""
        return Framed(self.normals[origin], self.tangents[origin])


def framed(p: Primitive, uv_set: int) -> Framed:
    """The directions a slot's relief is told along: its own tangents where it brings them, else those of a UV
    set."""
    normals = p.normals if p.normals is not None else smooth_normals(p.positions, p.indices)
    uvs = p.uvs[uv_set] if uv_set < len(p.uvs) else np.zeros((len(p.positions), 2), np.float32)
    along = p.tangents if p.tangents is not None else tangents(p.positions, normals, uvs, p.indices)
    return Framed(np.asarray(normals, np.float32), np.asarray(along, np.float32))


def on_object(
    frames: Framed,
    name: str,
    given: Input,
    p: Primitive,
    images: Mapping[str, Image],
    corners: Any,
    weights: Any,
) -> Floats:
    """What relief makes of the surface's directions at points of a slot: unit vectors in its own space (P,
    3).
    """
    told = np.tile(np.asarray([0.0, 0.0, 1.0], np.float32), (len(corners), 1))
    if given.texture is not None:
        told = values_on(name, given, p, images, corners, weights)
    return _turned_by(frames, told, corners, weights, True)


def along_new(frames: Framed, directions: Floats, corners: Any, weights: Any) -> Floats:
    """Directions in the mesh's own space as a normal map on a UV set tells them, unit vectors (P, 3)."""
    return _turned_by(frames, directions, corners, weights, False)


def _turned_by(frames: Framed, told: Floats, corners: Any, weights: Any, into: bool) -> Floats:
    held = [np.ascontiguousarray(one, np.float32) for one in (frames.normals, frames.tangents, told)]
    out = np.empty((len(corners), 3), np.float32)
    weights = np.ascontiguousarray(weights, np.float64)
    _turn(held[0], held[1], held[2], np.ascontiguousarray(corners, np.int64), weights, into, out)
    return out


@njit(nogil=True, error_model="numpy")
def _turn(normals: Any, along: Any, told: Any, corners: Any, weights: Any, into: bool, out: Any) -> None:
    """Directions told along a frame brought ``into`` the mesh's space, or out of it. The tangent is brought
    into the surface; the bitangent is ``w`` times the cross product of normal and tangent (glTF 2.0, section
    3.7.2.1).
    """
    n, t, b, d = np.zeros(3), np.zeros(3), np.zeros(3), np.zeros(3)
    for p in range(len(corners)):
        for c in range(3):
            n[c], t[c] = 0.0, 0.0
            for k in range(3):
                n[c] += weights[p, k] * normals[corners[p, k], c]
                t[c] += weights[p, k] * along[corners[p, k], c]
        _made_unit(n)
        off = n[0] * t[0] + n[1] * t[1] + n[2] * t[2]
        for c in range(3):
            t[c] -= n[c] * off
        _made_unit(t)
        side = 1.0 if along[corners[p, 0], 3] >= 0 else -1.0
        b[0] = side * (n[1] * t[2] - n[2] * t[1])
        b[1] = side * (n[2] * t[0] - n[0] * t[2])
        b[2] = side * (n[0] * t[1] - n[1] * t[0])
        x, y, z = told[p, 0], told[p, 1], told[p, 2]
        if into:
            for c in range(3):
                d[c] = t[c] * x + b[c] * y + n[c] * z
        else:
            d[0] = t[0] * x + t[1] * y + t[2] * z
            d[1] = b[0] * x + b[1] * y + b[2] * z
            d[2] = n[0] * x + n[1] * y + n[2] * z
        _made_unit(d)
        out[p, 0], out[p, 1], out[p, 2] = d[0], d[1], d[2]


@njit(nogil=True, error_model="numpy")
def _made_unit(v: Any) -> None:
    length = max(math.sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]), 1e-12)
    v[0], v[1], v[2] = v[0] / length, v[1] / length, v[2] / length
