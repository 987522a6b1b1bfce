"""What nobody sent: materials made from nothing and worn by parts, and groups."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.mends.beneath import parts_beneath
from trasloco.mends.own_meshes import mesh_of_own, with_mesh
from trasloco.scene.model import Input, Material, Node, Scene

PLAIN = {
    "base_color": Input((0.8, 0.8, 0.8), origin="decision"),
    "metalness": Input((0.0,), origin="decision"),
    "roughness": Input((0.3,), origin="decision"),
}
"""What a material starts as: the defaults of OpenPBR Surface 1.1."""


def made(scene: Scene, target: str, value: Any) -> Scene:
    """A material that did not come along, as :data:`PLAIN`. None takes it away again."""
    if value is None or target in scene.materials:
        return scene
    return scene.with_material(Material(target, str(value["name"]), dict(PLAIN), payload={"made": True}))


def wears(scene: Scene, target: str, value: Any) -> Scene:
    """Another material on a part or all parts of a group: on every face, or on those of one slot
    (``instead_of``). Faces keep their numbers.

    Raises:
        Refused: there is no such material.
    """
    wanted, before = str(value["material"]), value.get("instead_of")
    if wanted not in scene.materials:
        raise Refused(
            "There is no such material to wear.", wanted, "Choose another, or take this decision back."
        )
    for part in parts_beneath(scene, target):
        held = scene.meshes[scene.nodes[part].mesh or ""]
        if all(
            p.material == wanted or (before is not None and p.material != before) for p in held.primitives
        ):
            continue
        scene, mesh = mesh_of_own(scene, part)
        if mesh is None:
            continue
        primitives = tuple(
            p if before is not None and p.material != before else replace(p, material=wanted, variants={})
            for p in mesh.primitives
        )
        scene = with_mesh(scene, replace(mesh, primitives=primitives))
    return scene


def grouped(scene: Scene, target: str, value: Any) -> Scene:
    """A group that did not come along, empty, where its parent is. None takes it away again."""
    if value is None or target in scene.nodes:
        return scene
    above = value.get("parent")
    node = Node(target, str(value["name"]), above if above in scene.nodes else None, np.eye(4))
    return replace(scene, nodes={**scene.nodes, target: node})
