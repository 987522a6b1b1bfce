"""Settles what a received scene leaves open: the decision first, then the file, then the source sheet, then a
guess.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TypeVar

import numpy as np

from trasloco.scene.color import roughness_of_gloss, srgb_to_linear
from trasloco.scene.geometry import moved_primitive, transform_points
from trasloco.scene.lengths import with_lengths_times
from trasloco.scene.model import (
    BYTE_COLORS,
    Cloud,
    Decision,
    Declared,
    Doubles,
    Input,
    Material,
    Node,
    Primitive,
    Scene,
)
from trasloco.scene.transforms import settle_matrix
from trasloco.sheets.model import Sheet

Colored = TypeVar("Colored", Primitive, Cloud)
AXIS_AND_UNIT = "part:axis-and-unit"
"""The place above everything where axis and unit cannot be settled in the points themselves."""
_TINTED = ("base_color", "emission", "specular_color", "sheen_color", "opacity", "roughness", "metalness")


def decided(decisions: Sequence[Decision], target: str, field: str) -> Decision | None:
    """The last decision about a field of a target."""
    found = None
    for decision in decisions:
        if decision.target == target and decision.field == field:
            found = decision
    return found


def believed_unit(scene: Scene, source: Sheet, decisions: Sequence[Decision]) -> Declared:
    """Metres a unit, with who said so."""
    return _believed("unit_m", scene.unit_m, source.conventions.unit_m, source, decisions)


def believed_axis(scene: Scene, source: Sheet, decisions: Sequence[Decision]) -> Declared:
    """The up axis, with who said so."""
    return _believed("up_axis", scene.up_axis, source.conventions.up_axis, source, decisions)


def believed_colors(scene: Scene, source: Sheet, decisions: Sequence[Decision]) -> Declared:
    """How vertex colours are stored, ``"srgb"`` or ``"linear"``, with who said so.

    Formats that hold them as bytes and do not say what these mean hold what was picked on a screen, unless a
    sheet or the artist says otherwise.
    """
    choice = decided(decisions, "scene", "vertex_color_encoding")
    if choice is not None:
        return Declared(choice.value, "decision")
    if "vertex_color" in scene.declares:
        return Declared("linear", "file")
    return (
        Declared("srgb" if BYTE_COLORS in scene.declares else "linear", "guess")
        if source.name == "Plain"
        else Declared(source.conventions.vertex_color_encoding, "sheet")
    )


def _believed(
    field: str, declared: Declared, by_sheet: float | str, source: Sheet, decisions: Sequence[Decision]
) -> Declared:
    choice = decided(decisions, "scene", field)
    if choice is not None:
        return Declared(choice.value, "decision")
    if declared.origin == "file":
        return declared
    return Declared(by_sheet, "guess" if source.name == "Plain" else "sheet")


def settle(scene: Scene, source: Sheet, decisions: Sequence[Decision]) -> Scene:
    """The scene in neutral terms: Y up, metres, roughness for gloss, each normal map's green known, colours
    linear.
    """
    unit, axis = believed_unit(scene, source, decisions), believed_axis(scene, source, decisions)
    matrix = settle_matrix(axis.value, unit.value)
    meshes = dict(scene.meshes)
    if believed_colors(scene, source, decisions).value == "srgb":
        meshes = {
            id: replace(mesh, primitives=tuple(_linear_colors(p) for p in mesh.primitives))
            for id, mesh in meshes.items()
        }
        scene = replace(scene, clouds={id: _linear_colors(cloud) for id, cloud in scene.clouds.items()})
    materials = {id: _settled_material(material, scene, source) for id, material in scene.materials.items()}
    told = float(scene.unit_m.value)
    scene = replace(scene, meshes=meshes, materials=materials, unit_m=replace(unit), up_axis=replace(axis))
    if scene.unit_m.origin == "decision" and unit.value != told:
        # Readers give lengths in metres by the file's own unit; where another is believed, they follow.
        scene = with_lengths_times(scene, float(unit.value) / told)
    return scene if np.array_equal(matrix, np.eye(4)) else _placed(scene, matrix)


def _linear_colors(held: Colored) -> Colored:
    if held.colors is None:
        return held
    colors = held.colors.copy()
    colors[:, :3] = srgb_to_linear(colors[:, :3])
    return replace(held, colors=colors)


def _settled_material(material: Material, scene: Scene, source: Sheet) -> Material:
    inputs = dict(material.inputs)
    told = source.conventions
    gloss = source.conventions.shininess == "gloss" and "roughness" not in scene.declares
    rough = inputs.get("roughness")
    if gloss and rough is not None and rough.origin != "guess":
        if rough.texture is not None:
            inputs["roughness"] = Input(
                (1.0,),
                replace(rough.texture, invert=True, curve=told.gloss_curve, curve_top=told.gloss_top),
                origin="sheet",
            )
        else:
            inputs["roughness"] = Input(
                (float(roughness_of_gloss(np.array(rough.factor[0]), told.gloss_curve, told.gloss_top)),),
                origin="sheet",
            )
    if told.tint == "replaced by the image" and "tint" not in scene.declares:
        inputs = {
            name: replace(given, factor=(1.0,) * len(given.factor), origin="sheet")
            if given.texture is not None and name in _TINTED
            else given
            for name, given in inputs.items()
        }
    base = inputs.get("base_color")
    if told.vertex_color == "ignored" and base is not None and base.vertex_color:
        inputs["base_color"] = replace(base, vertex_color=False, origin="sheet")
    normal = inputs.get("normal")
    if normal is not None and normal.texture is not None and "green" not in scene.declares:
        inputs["normal"] = replace(
            normal,
            texture=replace(normal.texture, green_up=source.conventions.normal_green == "up"),
            origin="sheet",
        )
    return replace(material, inputs=inputs)


def _placed(scene: Scene, matrix: Doubles) -> Scene:
    """Turn and scale everything.

    A flat, still scene is changed in its points, so no transform is left over; others get a root above.
    """
    flat = (
        not scene.skins
        and not scene.clips
        and all(n.parent is None and np.allclose(n.matrix, np.eye(4)) for n in scene.nodes.values())
    )
    if flat:
        clouds = {
            id: replace(one, positions=transform_points(matrix, one.positions).astype(np.float32))
            for id, one in scene.clouds.items()
        }
        return replace(
            scene,
            clouds=clouds,
            meshes={
                id: replace(mesh, primitives=tuple(moved_primitive(p, matrix) for p in mesh.primitives))
                for id, mesh in scene.meshes.items()
            },
        )
    root = Node(AXIS_AND_UNIT, "Axis and unit", None, matrix)
    nodes = {
        root.id: root,
        **{id: replace(n, parent=root.id) if n.parent is None else n for id, n in scene.nodes.items()},
    }
    return rigid_lamps(replace(scene, nodes=nodes))


def rigid_lamps(scene: Scene) -> Scene:
    """Lights and cameras have no size: their places in the world lose all scale and keep position and
    direction.
    """
    world = scene.world_matrices()
    parents = {node.parent for node in scene.nodes.values()}
    nodes = dict(scene.nodes)
    for node in scene.nodes.values():
        scale = np.linalg.norm(world[node.id][:3, :3], axis=0)
        if (
            (node.light or node.camera)
            and node.mesh is None
            and node.id not in parents
            and scale.min() > 0
            and np.abs(scale - 1).max() > 1e-6
        ):
            rigid = world[node.id].copy()
            rigid[:3, :3] /= scale
            nodes[node.id] = replace(
                node, matrix=np.linalg.inv(world[node.parent]) @ rigid if node.parent is not None else rigid
            )
    return replace(scene, nodes=nodes)
