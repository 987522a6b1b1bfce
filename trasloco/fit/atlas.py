"""Vertex colours made an image: an atlas of the material's parts on a new UV set, painted at texel centres."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt
from numba import njit

from trasloco.fit.palette import palette_image, palette_of, palette_side, with_palette_uvs
from trasloco.fit.steps.shrinking import padded
from trasloco.scene.charts import chart
from trasloco.scene.geometry import blended, spread_points, taken, with_uv_set
from trasloco.scene.model import Scene
from trasloco.scene.resolve import input_values
from trasloco.scene.sampling import bilinear

SIDE, PADDING = 1024, 4


@dataclass(frozen=True)
class Atlas:
    """Where the primitives of a material lie. ``uv_set`` is the number of the new set; ``side`` is texels a side; ``colors`` (K, 3) makes it a palette of flat colours."""

    uv_set: int
    side: int
    colors: npt.NDArray[np.float32] | None = None


def laid_out(scene: Scene, material: str, how: str) -> tuple[Scene, Atlas]:
    """The scene with a new UV set for the material, as charts that do not overlap, or on a ``palette`` of its flat colours."""
    colors = palette_of(scene, material) if how == "palette" else None
    if colors is None:
        return with_atlas_uvs(scene, material)
    side = palette_side(len(colors))
    scene, uv_set = with_palette_uvs(scene, material, colors, side)
    return scene, Atlas(uv_set, side, colors)


def with_atlas_uvs(scene: Scene, material: str) -> tuple[Scene, Atlas]:
    """Give every primitive of the material a new, non-overlapping UV set; vertices are split at chart borders."""
    places = [(mesh_id, k) for mesh_id, mesh in scene.meshes.items() for k, p in enumerate(mesh.primitives) if p.material == material and len(p.indices)]
    most = max((len(scene.meshes[m].primitives[k].uvs) for m, k in places), default=0)
    primitives = [scene.meshes[mesh_id].primitives[k] for mesh_id, k in places]
    charted = chart([(p.positions, p.indices, p.normals) for p in primitives], SIDE, PADDING)
    meshes = dict(scene.meshes)
    for (mesh_id, k), cut in zip(places, charted, strict=True):
        mesh = meshes[mesh_id]
        new = taken(mesh.primitives[k], cut.origin, cut.indices)
        new = with_uv_set(new, most, cut.uv)
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
    if atlas.colors is not None:
        return palette_image(atlas.colors * np.asarray(scene.materials[material].inputs["base_color"].factor, np.float32), atlas.side)
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
        base = base * bilinear(input_values("base_color", replace(given, factor=(1.0, 1.0, 1.0)), scene.images[given.texture.image]), uv_at, given.texture)
    return padded(base, covered)


_POINTS = 4096


def paint_points(scene: Scene, material: str, atlas: Atlas, rng: np.random.Generator) -> Iterator[tuple[npt.NDArray[Any], npt.NDArray[np.float32]]]:
    """Points spread over each primitive's faces by area: their UVs in the atlas (N, 2) and what should be seen there, linear (N, 3)."""
    given = scene.materials[material].inputs["base_color"]
    for mesh in scene.meshes.values():
        for p in mesh.primitives:
            if p.material != material or not len(p.indices) or len(p.uvs) <= atlas.uv_set:
                continue
            spread = spread_points(p.positions, p.indices, _POINTS, rng)
            if spread is None:
                continue
            corners, weights = p.indices[spread[0]], spread[1]
            truth = np.asarray(given.factor) * (1.0 if p.colors is None else blended(p.colors[:, :3], corners, weights))
            if given.texture is not None:
                uv = p.uvs[given.texture.uv_set] if given.texture.uv_set < len(p.uvs) else np.zeros((len(p.positions), 2), np.float32)
                truth = truth * bilinear(input_values("base_color", replace(given, factor=(1.0, 1.0, 1.0)), scene.images[given.texture.image]), blended(uv, corners, weights), given.texture)
            yield blended(p.uvs[atlas.uv_set], corners, weights), np.broadcast_to(truth, (_POINTS, 3)).astype(np.float32)
