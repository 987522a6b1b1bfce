"""What mends of geometry share: a part's own mesh, changed primitive by primitive."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from trasloco.scene.geometry import taken
from trasloco.scene.model import Mesh, Primitive, Scene


def mesh_of_own(scene: Scene, target: str) -> tuple[Scene, Mesh | None]:
    """The mesh of a part, copied first when other parts share it."""
    node = scene.nodes.get(target)
    if node is None or node.mesh is None:
        return scene, None
    mesh = scene.meshes[node.mesh]
    if sum(other.mesh == node.mesh for other in scene.nodes.values()) > 1:
        mesh = replace(mesh, id=f"{mesh.id}@{target}")
        scene = replace(
            scene,
            meshes={**scene.meshes, mesh.id: mesh},
            nodes={**scene.nodes, target: replace(node, mesh=mesh.id)},
        )
    return scene, mesh


def with_mesh(scene: Scene, mesh: Mesh) -> Scene:
    return replace(scene, meshes={**scene.meshes, mesh.id: mesh})


def each_primitive(scene: Scene, target: str, change: Callable[[Primitive], Primitive]) -> Scene:
    """A part with every primitive changed; nothing for a part without geometry."""
    scene, mesh = mesh_of_own(scene, target)
    return (
        scene
        if mesh is None
        else with_mesh(
            scene,
            replace(mesh, primitives=tuple(change(p) if len(p.indices) else p for p in mesh.primitives)),
        )
    )


def picked(primitive: Primitive, faces: npt.NDArray[np.bool_]) -> Primitive:
    """Only some faces of a primitive, without the vertices nothing uses any more."""
    return gathered(primitive, primitive.indices[faces])


def gathered(primitive: Primitive, indices: npt.NDArray[np.uint32]) -> Primitive:
    """A primitive with other faces (M, 3) over its own vertices; vertices nothing uses are dropped."""
    used, inverse = np.unique(indices.reshape(-1), return_inverse=True)
    return taken(primitive, used, inverse.reshape(-1, 3).astype(np.uint32))
