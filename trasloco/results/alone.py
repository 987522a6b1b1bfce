"""A material by itself, for whoever shows it or keeps it without the scene it came in."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.scene.geometry import taken
from trasloco.scene.model import Primitive, Scene

_FIRST = np.arange(3, dtype=np.uint32)[None]


def only(scene: Scene, material: str) -> Scene:
    """A scene reduced to one material and what says something of it: the vertex colours of the parts
    that wear it, and a triangle of those that have none.
    """
    meshes = {
        id: replace(mesh, primitives=tuple(_told(p) for p in mesh.primitives if p.material == material))
        for id, mesh in scene.meshes.items()
    }
    meshes = {id: mesh for id, mesh in meshes.items() if mesh.primitives}
    nodes = {
        id: replace(n, mesh=n.mesh if n.mesh in meshes else None, light=None, camera=None, skin=None)
        for id, n in scene.nodes.items()
    }
    return replace(
        scene,
        nodes=nodes,
        meshes=meshes,
        materials={material: scene.materials[material]},
        lights={},
        cameras={},
        skins={},
        clips={},
        environment=None,
    )


def _told(p: Primitive) -> Primitive:
    """A painted primitive as it is; of another, its first triangle."""
    return p if p.colors is not None or not len(p.indices) else taken(p, p.indices[0], _FIRST)
