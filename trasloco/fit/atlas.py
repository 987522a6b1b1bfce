"""Vertex colours made an image: an atlas of the material's parts on a new UV set, painted at texel centres."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt
from numba import njit

from trasloco.scene.charts import chart
from trasloco.scene.model import Primitive, Scene
from trasloco.scene.resolve import input_values

SIDE, PADDING = 1024, 4


@dataclass(frozen=True)
class Atlas:
    """Where the primitives of a material lie. ``uv_set`` is the number of the new set; ``side`` is texels a side."""

    uv_set: int
    side: int


def with_atlas_uvs(scene: Scene, material: str) -> tuple[Scene, Atlas]:
    """Give every primitive of the material a new, non-overlapping UV set; vertices are split at chart borders."""
    places = [(mesh_id, k) for mesh_id, mesh in scene.meshes.items() for k, p in enumerate(mesh.primitives) if p.material == material and len(p.indices)]
    most = max((len(scene.meshes[m].primitives[k].uvs) for m, k in places), default=0)
    primitives = [scene.meshes[mesh_id].primitives[k] for mesh_id, k in places]
    charted = chart([(p.positions, p.indices, p.normals) for p in primitives], SIDE, PADDING)
    meshes = dict(scene.meshes)
    for (mesh_id, k), cut in zip(places, charted, strict=True):
        origin = cut.origin
        mesh = meshes[mesh_id]
        old = mesh.primitives[k]
        filled = tuple(old.uvs) + tuple(np.zeros((len(old.positions), 2), np.float32) for _ in range(most - len(old.uvs)))
        new = Primitive(
            old.positions[origin], cut.indices, None if old.normals is None else old.normals[origin], None, (*(u[origin] for u in filled), cut.uv),
            None if old.colors is None else old.colors[origin], None if old.joints is None else old.joints[origin], None if old.weights is None else old.weights[origin], (), old.material,
        )
        meshes[mesh_id] = replace(mesh, primitives=tuple(new if j == k else p for j, p in enumerate(mesh.primitives)))
    return replace(scene, meshes=meshes), Atlas(most, SIDE)


@njit(cache=True)
def _paint(corners: Any, values: Any, uvs: Any, picture: Any, covered: Any) -> None:
    """Interpolate (T, 3, C) values and uvs into the texels whose centres lie inside each (T, 3, 2) triangle (pixels)."""
    height, width = covered.shape
    for t in range(corners.shape[0]):
        x0, y0, x1, y1, x2, y2 = corners[t, 0, 0], corners[t, 0, 1], corners[t, 1, 0], corners[t, 1, 1], corners[t, 2, 0], corners[t, 2, 1]
        area = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
        if abs(area) < 1e-12:
            continue
        for y in range(max(math.floor(min(y0, y1, y2) - 0.5), 0), min(math.ceil(max(y0, y1, y2)) + 1, height)):
            for x in range(max(math.floor(min(x0, x1, x2) - 0.5), 0), min(math.ceil(max(x0, x1, x2)) + 1, width)):
                px, py = x + 0.5, y + 0.5
                b = ((px - x0) * (y2 - y0) - (x2 - x0) * (py - y0)) / area
                c = ((x1 - x0) * (py - y0) - (px - x0) * (y1 - y0)) / area
                a = 1.0 - b - c
                if a < -1e-6 or b < -1e-6 or c < -1e-6:
                    continue
                for k in range(values.shape[2]):
                    picture[y, x, k] = a * values[t, 0, k] + b * values[t, 1, k] + c * values[t, 2, k]
                uvs[y, x, 0] = a * values[t, 0, 3] + b * values[t, 1, 3] + c * values[t, 2, 3]
                uvs[y, x, 1] = a * values[t, 0, 4] + b * values[t, 1, 4] + c * values[t, 2, 4]
                covered[y, x] = True


def bake_colors(scene: Scene, material: str, atlas: Atlas) -> npt.NDArray[np.float32]:
    """Linear base colour (side, side, 3): vertex colour x image x factor at every covered texel, borders padded outwards."""
    side = atlas.side
    picture, covered, uv_at = np.zeros((side, side, 5), np.float32), np.zeros((side, side), bool), np.zeros((side, side, 2), np.float32)
    given = scene.materials[material].inputs["base_color"]
    source_set = given.texture.uv_set if given.texture else 0
    for mesh in scene.meshes.values():
        for p in mesh.primitives:
            if p.material != material or len(p.uvs) <= atlas.uv_set:
                continue
            colors = p.colors[:, :3] if p.colors is not None else np.ones((len(p.positions), 3), np.float32)
            uv = p.uvs[source_set] if source_set < len(p.uvs) else np.zeros((len(p.positions), 2), np.float32)
            values = np.concatenate([colors, uv], axis=1)[p.indices].astype(np.float32)
            _paint(np.ascontiguousarray(p.uvs[atlas.uv_set][p.indices] * side, np.float32), values, uv_at, picture, covered)
    base = picture[..., :3] * np.asarray(given.factor, np.float32)
    if given.texture is not None:
        base = base * _sampled(input_values("base_color", replace(given, factor=(1.0, 1.0, 1.0)), scene.images[given.texture.image]), uv_at, given.texture)
    return _padded(base, covered)


def _sampled(values: npt.NDArray[np.float32], uv: npt.NDArray[np.float32], texture: Any) -> npt.NDArray[np.float32]:
    """Bilinear values at (H, W, 2) UVs, repeated, with the texture's placement."""
    cosine, sine = math.cos(texture.rotation_rad), math.sin(texture.rotation_rad)
    su, sv = texture.scale
    u = su * cosine * uv[..., 0] + sv * sine * uv[..., 1] + texture.offset[0]
    v = -su * sine * uv[..., 0] + sv * cosine * uv[..., 1] + texture.offset[1]
    height, width = values.shape[:2]
    x, y = u * width - 0.5, v * height - 0.5
    x0, y0 = np.floor(x).astype(int), np.floor(y).astype(int)
    fx, fy = (x - x0)[..., None].astype(np.float32), (y - y0)[..., None].astype(np.float32)
    left, right, top, bottom = x0 % width, (x0 + 1) % width, y0 % height, (y0 + 1) % height
    return np.asarray((values[top, left] * (1 - fx) + values[top, right] * fx) * (1 - fy) + (values[bottom, left] * (1 - fx) + values[bottom, right] * fx) * fy)


def _padded(picture: npt.NDArray[np.float32], covered: npt.NDArray[np.bool_]) -> npt.NDArray[np.float32]:
    """Every empty texel takes the colour of the nearest covered one."""
    from scipy.ndimage import distance_transform_edt

    if not covered.any():
        return picture
    _, (rows, columns) = distance_transform_edt(~covered, return_indices=True)
    return np.asarray(picture[rows, columns])
