"""Meshes of an arrival taken back."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.proof.pairing import paired_materials, paired_parts
from trasloco.proof.suspect import GONE
from trasloco.scene.model import Scene


def meshes_undone(
    reference: Scene, arrival: Scene, materials: set[str] | None = None, only: set[str] | None = None
) -> Scene:
    """The reference's meshes in place of the arrival's, for parts that wear certain materials, or certain
    meshes; placed in the world as the reference has them.
    """
    pairs, wears = paired_parts(reference, arrival), paired_materials(reference, arrival)
    meshes, nodes = dict(arrival.meshes), dict(arrival.nodes)
    world, there = reference.world_matrices(), arrival.world_matrices()
    for part in reference.parts():
        mesh = reference.meshes[part.mesh or ""]
        concerned = (
            mesh.id in only
            if only is not None
            else any(p.material in (materials or set()) for p in mesh.primitives)
        )
        other = pairs.get(part.id)
        if not concerned or other is None:
            continue
        node = arrival.nodes[other]
        parent = there[node.parent] if node.parent is not None else np.eye(4)
        meshes[GONE + mesh.id] = replace(
            mesh,
            id=GONE + mesh.id,
            primitives=tuple(
                replace(p, material=wears.get(p.material or "", p.material)) for p in mesh.primitives
            ),
        )
        nodes[other] = replace(
            node,
            mesh=GONE + mesh.id,
            matrix=np.linalg.inv(parent) @ world[part.id],
            skin=None,
            lightmap=None,
        )
    return replace(arrival, meshes=meshes, nodes=nodes)
