"""What nobody sent: materials made from nothing and worn by parts, and groups."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.mends.beneath import parts_beneath
from trasloco.mends.own_meshes import each_primitive, with_mesh
from trasloco.scene.model import Input, Material, Node, Primitive, Scene

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
    (``instead_of``). Faces keep their numbers; parts that share a mesh and all take it go on sharing it.

    Raises:
        Refused: there is no such material.
    """
    wanted, before = str(value["material"]), value.get("instead_of")
    if wanted not in scene.materials:
        raise Refused(
            "There is no such material to wear.", wanted, "Choose another, or take this decision back."
        )

    def dressed(primitive: Primitive) -> Primitive:
        if before is not None and primitive.material != before:
            return primitive
        return replace(primitive, material=wanted, variants={})

    targets = parts_beneath(scene, target)
    for id in dict.fromkeys(scene.nodes[part].mesh for part in targets):
        mesh = scene.meshes[id or ""]
        after = replace(mesh, primitives=tuple(dressed(p) for p in mesh.primitives))
        if all(p.material == q.material for p, q in zip(mesh.primitives, after.primitives, strict=True)):
            continue
        users = {node.id for node in scene.nodes.values() if node.mesh == id}
        if users <= set(targets):  # what is shared by them all stays shared
            scene = with_mesh(scene, after)
            continue
        for part in (one for one in targets if one in users):
            scene = each_primitive(scene, part, dressed)
    return scene


def grouped(scene: Scene, target: str, value: Any) -> Scene:
    """A group that did not come along, empty, where its parent is. None takes it away again."""
    if value is None or target in scene.nodes:
        return scene
    above = value.get("parent")
    node = Node(target, str(value["name"]), above if above in scene.nodes else None, np.eye(4))
    return replace(scene, nodes={**scene.nodes, target: node})
