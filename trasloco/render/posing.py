"""A scene at a moment: nodes where a clip has them, skins and morph targets carried out, ready to be drawn."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.scene.geometry import transform_points
from trasloco.scene.model import Doubles, Primitive, Scene, Skin
from trasloco.scene.motion import posed_matrices, skinned_points


def posed(scene: Scene, clip: str = "", time_s: float = 0.0) -> Scene:
    """The scene with node matrices of a clip at a time, and with every skinned part's points where its joints
    take them.

    Raises:
        Refused: there is no such clip.
    """
    nodes = dict(scene.nodes)
    weights = _weights_at_rest(scene)
    if clip:
        if clip not in scene.clips:
            raise Refused("There is no such clip.", clip, "Choose one of the clips of the move.")
        local, moved = posed_matrices(scene, scene.clips[clip], time_s)
        weights |= moved
        nodes = {id: replace(node, matrix=local.get(id, node.matrix)) for id, node in nodes.items()}
    changing = [part for part in scene.parts() if part.skin in scene.skins or part.id in weights]
    if not clip and not changing:
        return scene
    world = replace(scene, nodes=nodes).world_matrices()
    meshes = dict(scene.meshes)
    for part in changing:
        given = scene.meshes[part.mesh or ""]
        own = f"{given.id}@{part.id}"
        primitives = tuple(
            _morphed(p, weights[part.id]) if part.id in weights else p for p in given.primitives
        )
        if part.skin in scene.skins:
            back = np.linalg.inv(world[part.id])
            primitives = tuple(_skinned(p, scene.skins[part.skin or ""], world, back) for p in primitives)
        meshes[own] = replace(given, id=own, primitives=primitives)
        nodes[part.id] = replace(nodes[part.id], mesh=own, skin=None, shape_weights=())
    return replace(scene, nodes=nodes, meshes=meshes)


def _weights_at_rest(scene: Scene) -> dict[str, Doubles]:
    return {part.id: np.asarray(part.shape_weights) for part in scene.parts() if any(part.shape_weights)}


def shapes_on(scene: Scene) -> Scene:
    """The scene with shapes that are on at rest carried out, in meshes of those parts' own; nothing else is
    posed.
    """
    on = _weights_at_rest(scene)
    nodes, meshes = dict(scene.nodes), dict(scene.meshes)
    for id, weights in on.items():
        given = scene.meshes[scene.nodes[id].mesh or ""]
        own = replace(
            given, id=f"{given.id}@{id}", primitives=tuple(_morphed(p, weights) for p in given.primitives)
        )
        meshes[own.id] = own
        nodes[id] = replace(nodes[id], mesh=own.id, shape_weights=())
    worn = {node.mesh for node in nodes.values()}
    bare = {scene.nodes[id].mesh for id in on} - worn
    kept = {id: mesh for id, mesh in meshes.items() if id not in bare}
    return replace(scene, nodes=nodes, meshes=kept) if on else scene


def _morphed(p: Primitive, weights: Doubles) -> Primitive:
    """Positions plus weight x displacement of every target, normals likewise (glTF 2.0, section 3.7.2.2)."""
    positions, normals = (
        p.positions.astype(np.float64),
        None if p.normals is None else p.normals.astype(np.float64),
    )
    for target, weight in zip(p.morphs, weights, strict=False):
        if target.positions is not None:
            positions = positions + float(weight) * target.positions
        if normals is not None and target.normals is not None:
            normals = normals + float(weight) * target.normals
    if normals is not None:
        normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    return replace(
        p,
        positions=positions.astype(np.float32),
        normals=None if normals is None else normals.astype(np.float32),
    )


def _skinned(p: Primitive, skin: Skin, world: dict[str, Doubles], back: Any) -> Primitive:
    """Points where the joints take them, brought back into the part's own space; a normal is the way from the
    point to one just above it.
    """
    if p.joints is None or p.weights is None:
        return p
    points = transform_points(back, skinned_points(p, skin, world))
    normals = p.normals
    if normals is not None:
        above = (
            transform_points(back, skinned_points(replace(p, positions=p.positions + normals), skin, world))
            - points
        )
        normals = (above / np.maximum(np.linalg.norm(above, axis=1, keepdims=True), 1e-12)).astype(np.float32)
    return replace(p, positions=points.astype(np.float32), normals=normals)
