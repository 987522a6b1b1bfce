"""Relief between two UV sets: directions that are told along the old ones, told along the new ones."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.scene.geometry import blended, smooth_normals
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

    def at(self, corners: Any, weights: Any) -> npt.NDArray[np.float64]:
        """Tangent, bitangent and normal at points, as columns, (P, 3, 3); the tangent is brought
        into the surface, the bitangent is ``w`` times their cross product (glTF 2.0, section 3.7.2.1)."""
        n = _unit(blended(self.normals, corners, weights))
        t = blended(self.tangents[:, :3], corners, weights)
        t = _unit(t - n * np.sum(t * n, axis=-1, keepdims=True))
        side = np.sign(self.tangents[corners[:, 0], 3])[:, None]
        return np.stack([t, side * np.cross(n, t), n], axis=-1)


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
    """What relief makes of the surface's directions at points of a slot: unit vectors in its own space (P, 3)."""
    frame = frames.at(corners, weights)
    if given.texture is None:
        return np.asarray(frame[..., 2], np.float32)
    told = values_on(name, given, p, images, corners, weights)
    return np.asarray(_unit(np.einsum("pij,pj->pi", frame, told.astype(np.float64))), np.float32)


def along_new(frames: Framed, directions: Floats, corners: Any, weights: Any) -> Floats:
    """Directions in the mesh's own space as a normal map on a UV set tells them, unit vectors (P, 3)."""
    frame = frames.at(corners, weights)
    told = np.einsum("pij,pi->pj", frame, directions.astype(np.float64))
    return np.asarray(_unit(told), np.float32)


def _unit(vectors: npt.NDArray[Any]) -> npt.NDArray[np.float64]:
    return np.asarray(
        vectors / np.maximum(np.linalg.norm(vectors, axis=-1, keepdims=True), 1e-12), np.float64
    )
