"""Meshes as they are to arrive, part by part: as they are, or with their points where they stand in the world
where a destination knows no places.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from trasloco.fit.geometry.backs import backs_for, with_backs
from trasloco.fit.model import Plan
from trasloco.fit.tree import at_rest
from trasloco.render.posing import shapes_on
from trasloco.scene.geometry import joined_mesh, moved_primitive
from trasloco.scene.joining import joined_slots
from trasloco.scene.model import Mesh, Node, Scene
from trasloco.sheets.model import Sheet

_SINGLE = 4e-6
"""Of the size of the scene: some rounding steps of single precision in places."""


def expected_parts(reference: Scene, destination: Sheet) -> Iterator[tuple[Node, Mesh]]:
    """Parts with the mesh that is to arrive: the first of each mesh, or every part where each has points of
    its own.
    """
    for node, mesh in expected_slots(reference, destination):
        yield node, replace(mesh, primitives=joined_slots(mesh.primitives, destination.structure.slots))


def expected_slots(reference: Scene, destination: Sheet) -> Iterator[tuple[Node, Mesh]]:
    """The same before slots are joined."""
    backed = with_backs(reference, backs_for(reference, destination))
    motion = destination.structure.motion
    rest = backed if "shapes" in motion else shapes_on(backed)
    rest = rest if "skins" in motion else at_rest(rest)
    if destination.structure.pivots:
        seen: set[str] = set()
        for node in reference.parts():
            if node.mesh not in seen:
                seen.add(node.mesh or "")
                yield node, replace(rest.meshes[rest.nodes[node.id].mesh or ""], id=node.mesh or "")
        return
    world = rest.world_matrices()
    for node in reference.parts():
        mesh = rest.meshes[rest.nodes[node.id].mesh or ""]
        moved = [
            replace(moved_primitive(p, world[node.id]), morphs=(), tangents=p.tangents)
            for p in mesh.primitives
        ]
        yield node, replace(mesh, id=node.mesh or "", primitives=tuple(moved))


class Standing:
    """Whether parts without places of their own stand where they stood: box and middle of their points."""

    def __init__(self, reference: Scene, arrival: Scene, destination: Sheet, plan: Plan) -> None:
        self.meant = {node.id: mesh for node, mesh in expected_parts(reference, destination)}
        self.arrival, self.there = arrival, arrival.world_matrices()
        self.slack = {crossing.mesh: crossing.largest_m or 0.0 for crossing in plan.meshes}

    def alike(self, node: Node, other: Node) -> bool:
        mesh, got = self.meant.get(node.id), self.arrival.meshes.get(other.mesh or "")
        if mesh is None or got is None or np.abs(self.there[other.id] - np.eye(4)).max() > 1e-9:
            return False
        if not any(len(p.indices) for p in mesh.primitives):
            return True
        meant, came = _box(mesh), _box(got)
        size = max(1.0, float(np.abs(meant).max()))
        return bool(np.abs(meant - came).max() <= _SINGLE * size + 1.02 * self.slack.get(mesh.id, 0.0))


def _box(mesh: Mesh) -> npt.NDArray[np.float64]:
    """Lowest and highest of all corners of faces, (2, 3)."""
    points, faces = joined_mesh(mesh.primitives)
    used = points[np.unique(faces)].astype(np.float64) if len(faces) else np.zeros((1, 3))
    return np.stack([used.min(axis=0), used.max(axis=0)])
