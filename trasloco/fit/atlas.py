"""What has no image of its own made one, vertex colours and layers: an atlas of the material's parts on a new
UV set, drawn at texel centres.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.fit.palette import palette_image, palette_of, palette_side, with_palette_uvs
from trasloco.inputs.table import INPUTS
from trasloco.scene.charts import chart
from trasloco.scene.covering import cover, padded
from trasloco.scene.geometry import blended, spread_points, taken, with_uv_set
from trasloco.scene.layers import values_on
from trasloco.scene.model import Primitive, Scene

SIDE, PADDING = 1024, 4
MOST_SIDE = 2048


@dataclass(frozen=True)
class Atlas:
    """Where the primitives of a material lie.

    ``uv_set`` is the number of the new set; ``side`` is texels a side; ``colors`` (K, 3) makes it a palette
    of flat colours.
    """

    uv_set: int
    side: int
    colors: npt.NDArray[np.float32] | None = None


def laid_out(scene: Scene, material: str, how: str, side: int) -> tuple[Scene, Atlas]:
    """The scene with a new UV set for the material, as charts that do not overlap, or on a ``palette`` of its
    flat colours.
    """
    colors = palette_of(scene, material) if how == "palette" else None
    if colors is None:
        return with_atlas_uvs(scene, material, side)
    side = palette_side(len(colors))
    scene, uv_set = with_palette_uvs(scene, material, colors, side)
    return scene, Atlas(uv_set, side, colors)


def with_atlas_uvs(scene: Scene, material: str, side: int = SIDE) -> tuple[Scene, Atlas]:
    """Give every primitive of the material a new, non-overlapping UV set; vertices are split at chart
    borders.
    """
    places = [
        (mesh_id, k)
        for mesh_id, mesh in scene.meshes.items()
        for k, p in enumerate(mesh.primitives)
        if p.material == material and len(p.indices)
    ]
    most = max((len(scene.meshes[m].primitives[k].uvs) for m, k in places), default=0)
    primitives = [scene.meshes[mesh_id].primitives[k] for mesh_id, k in places]
    charted = chart([(p.positions, p.indices, p.normals) for p in primitives], side, PADDING)
    meshes = dict(scene.meshes)
    for (mesh_id, k), cut in zip(places, charted, strict=True):
        mesh = meshes[mesh_id]
        new = taken(mesh.primitives[k], cut.origin, cut.indices)
        new = with_uv_set(new, most, cut.uv)
        meshes[mesh_id] = replace(
            mesh, primitives=tuple(new if j == k else p for j, p in enumerate(mesh.primitives))
        )
    return replace(scene, meshes=meshes), Atlas(most, side)


def bake_input(scene: Scene, material: str, name: str, atlas: Atlas) -> npt.NDArray[np.float32]:
    """An input drawn into its atlas, linear (side, side, C): vertex colour, image, factor and layers at every
    covered texel, borders padded outwards.
    """
    given = scene.materials[material].inputs[name]
    if atlas.colors is not None:
        return palette_image(atlas.colors * np.asarray(given.factor, np.float32), atlas.side)
    side = atlas.side
    triangle, weights = np.full((side, side), -1, np.int64), np.zeros((side, side, 3), np.float32)
    picture = np.zeros((side, side, INPUTS[name].channels), np.float32)
    first = 0
    for p in _worn(scene, material, atlas):
        cover(
            np.ascontiguousarray(p.uvs[atlas.uv_set][p.indices] * side, np.float32), first, triangle, weights
        )
        drawn = triangle >= first
        picture[drawn] = values_on(
            name, given, p, scene.images, p.indices[triangle[drawn] - first], weights[drawn]
        )
        first += len(p.indices)
    return padded(picture, triangle >= 0)


_POINTS = 4096


def points_of(
    scene: Scene, material: str, name: str, atlas: Atlas, rng: np.random.Generator
) -> Iterator[tuple[npt.NDArray[Any], npt.NDArray[np.float32]]]:
    """Points spread over each primitive's faces by area: their UVs in the atlas (N, 2) and what the input is
    there, linear (N, C).
    """
    given = scene.materials[material].inputs[name]
    for p in _worn(scene, material, atlas):
        spread = spread_points(p.positions, p.indices, _POINTS, rng)
        if spread is None:
            continue
        corners, weights = p.indices[spread[0]], spread[1]
        yield (
            blended(p.uvs[atlas.uv_set], corners, weights),
            values_on(name, given, p, scene.images, corners, weights),
        )


def _worn(scene: Scene, material: str, atlas: Atlas) -> Iterator[Primitive]:
    return (
        p
        for mesh in scene.meshes.values()
        for p in mesh.primitives
        if p.material == material and len(p.indices) and len(p.uvs) > atlas.uv_set
    )
