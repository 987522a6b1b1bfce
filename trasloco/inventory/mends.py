"""Mends: decisions carried out on a settled scene. Each is a small function scene -> scene."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.inventory.conventions import moved_primitive, settle
from trasloco.inventory.decisions import check_decision
from trasloco.scene.geometry import pieces
from trasloco.scene.images import Image
from trasloco.scene.inputs import INPUTS
from trasloco.scene.model import Decision, Input, Mesh, Primitive, Scene, Texture
from trasloco.sheets.model import Sheet


def mended(scene: Scene, source: Sheet, decisions: Sequence[Decision]) -> Scene:
    """The reference: the received scene settled into neutral terms, with every decision carried out.

    Raises:
        Refused: a decision names a value that cannot be.
    """
    for decision in decisions:
        check_decision(decision)
    scene = settle(scene, source, decisions)
    last: dict[tuple[str, str], Decision] = {(d.target, d.field): d for d in decisions}
    for (target, field), decision in last.items():
        mend = _MENDS.get(field)
        if mend is not None and (target in scene.nodes or target in scene.images or target in scene.lights or target in scene.materials or target == "environment" or "/" in target):
            scene = mend(scene, target, decision.value)
    return scene


def _mesh_of_own(scene: Scene, target: str) -> tuple[Scene, Mesh | None]:
    """The mesh of a part, copied first when other parts share it."""
    node = scene.nodes.get(target)
    if node is None or node.mesh is None:
        return scene, None
    mesh = scene.meshes[node.mesh]
    if sum(other.mesh == node.mesh for other in scene.nodes.values()) > 1:
        mesh = replace(mesh, id=f"{mesh.id}@{target}")
        scene = replace(scene, meshes={**scene.meshes, mesh.id: mesh}, nodes={**scene.nodes, target: replace(node, mesh=mesh.id)})
    return scene, mesh


def _with_mesh(scene: Scene, mesh: Mesh) -> Scene:
    return replace(scene, meshes={**scene.meshes, mesh.id: mesh})


def turn_faces(scene: Scene, target: str, value: Any) -> Scene:
    """Turn faces round. ``value`` lists piece numbers of the part in order over its primitives, or is true for all."""
    scene, mesh = _mesh_of_own(scene, target)
    if mesh is None or not value:
        return scene
    wanted = None if value is True else np.array([int(v) for v in value])
    start = 0
    primitives: list[Primitive] = []
    for primitive in mesh.primitives:
        own = pieces(primitive.positions, primitive.indices)
        turn = np.ones(len(own), bool) if wanted is None else np.isin(own + start, wanted)
        start += int(own.max(initial=-1)) + 1
        indices = primitive.indices.copy()
        indices[turn] = indices[turn][:, ::-1]
        normals = primitive.normals
        if normals is not None:
            normals = normals.copy()
            touched = np.unique(primitive.indices[turn])
            normals[touched] = -normals[touched]
        primitives.append(replace(primitive, indices=indices, normals=normals, tangents=None))
    return _with_mesh(scene, replace(mesh, primitives=tuple(primitives)))


def strip_vertex_color(scene: Scene, target: str, value: Any) -> Scene:
    """``False`` removes a part's vertex colours."""
    scene, mesh = _mesh_of_own(scene, target)
    if mesh is None or value is not False:
        return scene
    return _with_mesh(scene, replace(mesh, primitives=tuple(replace(p, colors=None) for p in mesh.primitives)))


def include(scene: Scene, target: str, value: Any) -> Scene:
    """``False`` leaves out a part (with its light or camera); its place in the tree stays for its children."""
    if value is not False or target not in scene.nodes:
        return scene
    node = scene.nodes[target]
    has_children = any(other.parent == target for other in scene.nodes.values())
    nodes = dict(scene.nodes)
    if has_children:
        nodes[target] = replace(node, mesh=None, light=None, camera=None)
    else:
        del nodes[target]
    return replace(scene, nodes=nodes)


def relink(scene: Scene, target: str, value: Any) -> Scene:
    """Everything that reads image ``target`` reads image ``value`` instead."""
    if value not in scene.images:
        raise Refused("The image to relink to is not in the delivery.", str(value), "Choose another, or add the file.")
    materials = {id: replace(m, inputs={name: _reading(given, target, value, scene.images[value]) for name, given in m.inputs.items()}) for id, m in scene.materials.items()}
    return replace(scene, materials=materials)


def _reading(given: Input, old: str, new: str, image: Image) -> Input:
    if given.texture is None or given.texture.image != old:
        return given
    return replace(given, texture=replace(given.texture, image=new), origin="decision")


def apply_transform(scene: Scene, target: str, value: Any) -> Scene:
    """Bake a part's whole world transform into its points; nothing moves in the world."""
    node = scene.nodes.get(target)
    if not value or node is None or node.mesh is None or node.skin is not None or any(other.parent == target for other in scene.nodes.values()):
        return scene
    world = scene.world_matrices()[target]
    scene, mesh = _mesh_of_own(scene, target)
    assert mesh is not None
    scene = _with_mesh(scene, replace(mesh, primitives=tuple(moved_primitive(p, world) for p in mesh.primitives)))
    return replace(scene, nodes={**scene.nodes, target: replace(scene.nodes[target], parent=None, matrix=np.eye(4))})


def _light_field(name: str) -> Callable[[Scene, str, Any], Scene]:
    def change(scene: Scene, target: str, value: Any) -> Scene:
        light = scene.lights.get(target)
        if light is None:
            return scene
        return replace(scene, lights={**scene.lights, target: replace(light, **{name: value})})

    return change


def _environment_field(name: str) -> Callable[[Scene, str, Any], Scene]:
    def change(scene: Scene, target: str, value: Any) -> Scene:
        if scene.environment is None:
            return scene
        return replace(scene, environment=replace(scene.environment, **{name: float(value)}))  # type: ignore[arg-type]

    return change


def _input_of(target: str) -> tuple[str, str]:
    material, _, name = target.rpartition("/")
    return material, name


def input_factor(scene: Scene, target: str, value: Any) -> Scene:
    """A constant of an input, as a list of numbers. Target ``material id/input name``."""
    material_id, name = _input_of(target)
    material = scene.materials.get(material_id)
    spec = INPUTS.get(name)
    if material is None or spec is None:
        return scene
    numbers = tuple(float(v) for v in (value if isinstance(value, list | tuple) else [value]))
    if len(numbers) != spec.channels or not all(np.isfinite(numbers)):
        raise Refused(f"{spec.label} takes {spec.channels} finite number{'s' if spec.channels > 1 else ''}.", target, "Give that many.")
    given = material.inputs.get(name, Input(spec.default))
    return scene.with_material(replace(material, inputs={**material.inputs, name: replace(given, factor=numbers, origin="decision")}))


def input_image(scene: Scene, target: str, value: Any) -> Scene:
    """Another image for an input, or none. ``value`` is an image id, ``{"image": id, "channels": "rgb", "invert": false}``, or null."""
    material_id, name = _input_of(target)
    material = scene.materials.get(material_id)
    spec = INPUTS.get(name)
    if material is None or spec is None:
        return scene
    given = material.inputs.get(name, Input(spec.default))
    if value is None:
        return scene.with_material(replace(material, inputs={**material.inputs, name: replace(given, texture=None, origin="decision")}))
    wish = value if isinstance(value, dict) else {"image": value}
    if wish.get("image") not in scene.images:
        raise Refused("There is no such image.", target, "Choose one of the images of the move.")
    channels = wish.get("channels") or (given.texture.channels if given.texture else ("rgb" if spec.channels == 3 else "r"))
    if channels not in ("rgb", "r", "g", "b", "a"):
        raise Refused(f"There is no channel called {channels}.", target, "Choose rgb, r, g, b or a.")
    before = given.texture or Texture("", encoding="srgb" if spec.color else "linear")
    factor = (1.0,) * spec.channels if given.texture is None else given.factor
    texture = replace(before, image=wish["image"], channels=channels, invert=bool(wish.get("invert", before.invert)))
    return scene.with_material(replace(material, inputs={**material.inputs, name: replace(given, factor=factor, texture=texture, origin="decision")}))


def input_included(scene: Scene, target: str, value: Any) -> Scene:
    """``False`` leaves an input out of the move."""
    material_id, name = _input_of(target)
    material = scene.materials.get(material_id)
    if material is None or value is not False:
        return scene
    return scene.with_material(replace(material, inputs={key: given for key, given in material.inputs.items() if key != name}))


def _material_field(name: str) -> Callable[[Scene, str, Any], Scene]:
    def change(scene: Scene, target: str, value: Any) -> Scene:
        material = scene.materials.get(target)
        return scene if material is None else scene.with_material(replace(material, **{name: value}))

    return change


def _part_or_input(part: Callable[[Scene, str, Any], Scene], given: Callable[[Scene, str, Any], Scene]) -> Callable[[Scene, str, Any], Scene]:
    def change(scene: Scene, target: str, value: Any) -> Scene:
        return part(scene, target, value) if target in scene.nodes else given(scene, target, value)

    return change


_MENDS: dict[str, Callable[[Scene, str, Any], Scene]] = {
    "relink": relink,
    "turn_faces": turn_faces,
    "vertex_color": strip_vertex_color,
    "apply_transform": apply_transform,
    "include": _part_or_input(include, input_included),
    "image": input_image,
    "factor": input_factor,
    "alpha_mode": _material_field("alpha_mode"),
    "alpha_cutoff": _material_field("alpha_cutoff"),
    "double_sided": _material_field("double_sided"),
    "enabled": _light_field("enabled"),
    "intensity": _light_field("intensity"),
    "turn_rad": _environment_field("turn_rad"),
    "level": _environment_field("level"),
}


def keep_used(scene: Scene) -> Scene:
    """Drop materials and meshes that no part uses, and lights and cameras whose node was left out."""
    meshes = {node.mesh for node in scene.nodes.values() if node.mesh}
    materials = {p.material for id in meshes for p in scene.meshes[id].primitives}
    materials |= {scene.materials[m].back for m in materials if m is not None and m in scene.materials}
    lights = {node.light for node in scene.nodes.values()}
    cameras = {node.camera for node in scene.nodes.values()}
    return replace(
        scene, meshes={k: v for k, v in scene.meshes.items() if k in meshes}, materials={k: v for k, v in scene.materials.items() if k in materials},
        lights={k: v for k, v in scene.lights.items() if k in lights}, cameras={k: v for k, v in scene.cameras.items() if k in cameras},
    )
