"""Texels per metre for every part: from its size, whether it matters, how fast light changes on it, and the
memory there is.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from trasloco.light.lightmaps.bake_wish import Wish
from trasloco.scene.geometry import transform_points
from trasloco.scene.model import Doubles, Scene

UNSEEN = 0.5
"""Density of a part that no camera looks at, against one that is seen."""
MOST_PER_METRE = 256.0
LEAST_LEFT = 0.5
"""Share of the memory that is left for what nobody asked for, whatever was asked for the rest: then all of it
takes more than was given, which is told.
"""
_PACKED = 0.62
"""Share of an image that parts usually fill once placed, borders and charts included."""


def areas(scene: Scene, parts: list[str]) -> dict[str, float]:
    """Square metres of the surface of each part, in the world."""
    world = scene.world_matrices()
    found = {}
    for part in parts:
        total = 0.0
        for p in scene.meshes[scene.nodes[part].mesh or ""].primitives:
            moved = transform_points(world[part], p.positions)
            a, b, c = (moved[p.indices[:, k]] for k in range(3))
            total += float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)
        found[part] = total
    return found


def _within(scene: Scene, part: str, world: Doubles) -> Doubles:
    """Places (N, 3) all over the box of a part, in the world."""
    points = np.concatenate(
        [p.positions for p in scene.meshes[scene.nodes[part].mesh or ""].primitives if len(p.positions)]
    )
    low, high = points.min(axis=0), points.max(axis=0)
    steps = np.stack(np.meshgrid(*[np.linspace(0, 1, 5)] * 3), axis=-1).reshape(-1, 3)
    return np.asarray(transform_points(world, (low + (high - low) * steps).astype(np.float32)), np.float64)


def importance(scene: Scene, parts: list[str], wish: Wish | None = None) -> dict[str, float]:
    """1 for what matters, less for the rest: what the wish names, else what any of the scene's cameras looks
    at; 1 for all where there is no camera.
    """
    wish = wish or Wish()
    world = scene.world_matrices()
    if wish.part in scene.nodes and scene.nodes[wish.part].mesh is not None:
        middle = _within(scene, wish.part, world[wish.part])
        low, high = middle.min(axis=0) - wish.around_m, middle.max(axis=0) + wish.around_m
        boxes = {part: _within(scene, part, world[part]) for part in parts}
        return {
            part: 1.0 if bool(((box.max(axis=0) >= low) & (box.min(axis=0) <= high)).all()) else UNSEEN
            for part, box in boxes.items()
        }
    cameras = [
        (np.linalg.inv(world[node.id]), scene.cameras[node.camera])
        for node in scene.nodes.values()
        if node.camera in scene.cameras and node.camera is not None and wish.camera in ("", node.camera)
    ]
    found = {}
    for part in parts:
        seen = not cameras
        box = _within(scene, part, world[part])
        for toward, camera in cameras:
            here = box @ toward[:3, :3].T + toward[:3, 3]
            slope = np.tan(camera.yfov_rad / 2)
            depth = -here[:, 2]
            wide = slope * (camera.aspect or 16 / 9)
            seen = seen or bool(
                (
                    (depth > camera.znear)
                    & (np.abs(here[:, 1]) <= slope * depth)
                    & (np.abs(here[:, 0]) <= wide * depth)
                ).any()
            )
        found[part] = 1.0 if seen else UNSEEN
    return found


def densities(
    scene: Scene, parts: list[str], texels: float, wish: Wish, change: Mapping[str, float] | None = None
) -> dict[str, float]:
    """Texels per metre by part, as many as ``texels`` in all allow; what was asked for a part stands.

    ``change`` weighs parts by how fast light changes on them.
    """
    asked = wish.density
    size, weight = areas(scene, parts), importance(scene, parts, wish)
    weight = {part: value * (change or {}).get(part, 1.0) for part, value in weight.items()}
    spent = sum(size[part] * asked[part] ** 2 for part in parts if part in asked) / _PACKED
    shared = sum(size[part] * weight[part] ** 2 for part in parts if part not in asked) / _PACKED
    base = np.sqrt(max(texels - spent, LEAST_LEFT * texels) / shared) if shared > 0 else 0.0
    return {part: asked.get(part, float(min(base * weight[part], MOST_PER_METRE))) for part in parts}
