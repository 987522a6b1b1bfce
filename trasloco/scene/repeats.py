"""How large the image of an input lies on the model."""

from __future__ import annotations

import math

import numpy as np

from trasloco.scene.geometry import transform_points
from trasloco.scene.model import Input, Scene


def repeat_m(scene: Scene, material: str, given: Input) -> float | None:
    """How long one repeat of an input's image is on the faces that wear a material: the side of a square of
    as much surface as one repeat covers, in metres. None where nothing with these UVs wears it.
    """
    if given.texture is None:
        return None
    at, world = given.texture.uv_set, scene.world_matrices()
    surface = unrolled = 0.0
    for part in scene.parts():
        for primitive in scene.meshes[part.mesh or ""].primitives:
            if primitive.material != material or at >= len(primitive.uvs) or not len(primitive.indices):
                continue
            corners = transform_points(world[part.id], primitive.positions)[primitive.indices]
            a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
            surface += float(np.linalg.norm(np.cross(a, b), axis=1).sum())
            uv = primitive.uvs[at].astype(np.float64)[primitive.indices]
            u, v = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
            unrolled += float(np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]).sum())
    repeats = unrolled * abs(given.texture.scale[0] * given.texture.scale[1])
    return math.sqrt(surface / repeats) if repeats > 0 and surface > 0 else None
