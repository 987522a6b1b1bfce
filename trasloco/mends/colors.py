"""Mends of vertex colours: removed from all parts of a material, or made from its image."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.scene.color import delta_e_of_linear
from trasloco.scene.geometry import blended, face_vectors, spread_points
from trasloco.scene.model import Input, Primitive, Scene, Texture
from trasloco.scene.resolve import input_values
from trasloco.scene.sampling import bilinear


def paint(scene: Scene, target: str, value: Any) -> Scene:
    """``remove`` takes the vertex colours of a material away, ``from image`` makes them from its base colour
    image; how they travel otherwise is the plan's.
    """
    if target not in scene.materials:
        return scene
    if value == "remove":
        return _each(scene, target, lambda p: replace(p, colors=None))
    return colors_from_image(scene, target) if value == "from image" else scene


def colors_from_image(scene: Scene, material_id: str) -> Scene:
    """The material's base colour image read at every vertex, times what vertex colours were there; the image
    is not read any more.

    Raises:
        Refused: the base colour has no image that can be read.
    """
    material = scene.materials[material_id]
    given, values = _pictured(scene, material_id)
    texture = given.texture
    assert texture is not None

    def colored(p: Primitive) -> Primitive:
        found = _at_vertices(p, values, texture)
        before = (
            p.colors
            if p.colors is not None and given.vertex_color
            else np.ones((len(p.positions), 4), np.float32)
        )
        return replace(
            p,
            colors=np.concatenate([np.clip(found * before[:, :3], 0, 1), before[:, 3:]], axis=1).astype(
                np.float32
            ),
        )

    scene = _each(scene, material_id, colored)
    base = replace(given, texture=None, vertex_color=True, origin="decision")
    return scene.with_material(replace(material, inputs={**material.inputs, "base_color": base}))


def loss_as_vertex_colors(scene: Scene, material_id: str, points: int = 4096) -> float:
    """Mean CIEDE2000 over the faces between a material's image and what its vertices would hold of it."""
    given, values = _pictured(scene, material_id)
    texture = given.texture
    assert texture is not None
    rng = np.random.default_rng(3)
    found, areas = [], []
    for p in _primitives(scene, material_id):
        spread = spread_points(p.positions, p.indices, points, rng)
        if spread is None:
            continue
        corners, weights = p.indices[spread[0]], spread[1]
        uv = (
            p.uvs[texture.uv_set]
            if texture.uv_set < len(p.uvs)
            else np.zeros((len(p.positions), 2), np.float32)
        )
        truth = bilinear(values, blended(uv, corners, weights), texture)
        found.append(
            float(
                delta_e_of_linear(truth, blended(_at_vertices(p, values, texture), corners, weights)).mean()
            )
        )
        areas.append(float(np.linalg.norm(face_vectors(p.positions, p.indices), axis=1).sum()))
    return float(np.average(found, weights=areas)) if found else 0.0


def _pictured(scene: Scene, material_id: str) -> tuple[Input, npt.NDArray[np.float32]]:
    given = scene.materials[material_id].inputs.get("base_color")
    image = scene.images.get(given.texture.image) if given is not None and given.texture is not None else None
    if given is None or given.texture is None or image is None or not image.usable:
        raise Refused(
            "The base colour has no image to make vertex colours from.",
            scene.materials[material_id].name,
            "Choose an image first.",
        )
    return given, input_values("base_color", replace(given, factor=(1.0, 1.0, 1.0)), image)


def _at_vertices(p: Primitive, values: npt.NDArray[np.float32], texture: Texture) -> npt.NDArray[np.float32]:
    uv = p.uvs[texture.uv_set] if texture.uv_set < len(p.uvs) else np.zeros((len(p.positions), 2), np.float32)
    return bilinear(values, uv, texture)


def _primitives(scene: Scene, material_id: str) -> Iterator[Primitive]:
    for mesh in scene.meshes.values():
        for p in mesh.primitives:
            if p.material == material_id and len(p.indices):
                yield p


def _each(scene: Scene, material_id: str, change: Any) -> Scene:
    return replace(
        scene,
        meshes={
            id: replace(
                mesh,
                primitives=tuple(
                    change(p) if p.material == material_id and len(p.indices) else p for p in mesh.primitives
                ),
            )
            for id, mesh in scene.meshes.items()
        },
    )
