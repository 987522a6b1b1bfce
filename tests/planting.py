"""A fault planted in a sound scene."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from tests.fault_scene import Random
from trasloco.scene.model import Node, Primitive, Scene


@dataclass(frozen=True)
class Planted:
    """A scene with one fault, and the ids one of which its finding must name (none: any finding of the kind
    counts).
    """

    scene: Scene
    targets: tuple[str, ...]


def some_part(scene: Scene, rng: Random) -> Node:
    return scene.parts()[int(rng.integers(len(scene.parts())))]


def scene_changed(scene: Scene, part: Node, change: Callable[[Primitive], Primitive]) -> Planted:
    mesh = scene.meshes[part.mesh or ""]
    return Planted(
        replace(
            scene,
            meshes={
                **scene.meshes,
                mesh.id: replace(mesh, primitives=tuple(change(p) for p in mesh.primitives)),
            },
        ),
        (part.id,),
    )


def some_patch(p: Primitive, rng: Random, most: float) -> np.ndarray:
    """A connected patch of faces around a random one."""
    centers = p.positions[p.indices].mean(axis=1)
    start = centers[int(rng.integers(len(centers)))]
    count = max(1, int(len(centers) * rng.uniform(0.005, most)))
    mask = np.zeros(len(centers), bool)
    mask[np.linalg.norm(centers - start, axis=1).argsort()[:count]] = True
    return mask


def some_closed_part(scene: Scene, rng: Random) -> Node:
    parts = [p for k, p in enumerate(scene.parts()) if scene.name != "sheets" or k % 2 == 0]
    return parts[int(rng.integers(len(parts)))]


Fault = Callable[[Scene, Random], Planted]
