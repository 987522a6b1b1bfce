"""Mends of where things are: transforms applied, parts placed by numbers, the scene moved, or stood on the
ground.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.mends.beneath import parts_beneath
from trasloco.mends.own_meshes import mesh_of_own, with_mesh
from trasloco.mends.settling import rigid_lamps
from trasloco.scene.extent import bounds, part_bounds, union_box
from trasloco.scene.geometry import moved_primitive
from trasloco.scene.lengths import with_lengths_times
from trasloco.scene.model import Channel, Doubles, Node, Scene
from trasloco.scene.motion import posed_matrices
from trasloco.scene.transforms import compose


def _local(scene: Scene, node: Node, world: Doubles) -> Doubles:
    """The local matrix that gives a node this world matrix."""
    above = scene.world_matrices()[node.parent] if node.parent is not None else np.eye(4)
    return np.asarray(np.linalg.inv(above) @ world)


def _keeping_children(scene: Scene, target: str, matrix: Doubles) -> Scene:
    """A node with another local matrix, its children left where they are in the world."""
    world = scene.world_matrices()
    nodes = {**scene.nodes, target: replace(scene.nodes[target], matrix=matrix)}
    moved = replace(scene, nodes=nodes).world_matrices()[target]
    for child in scene.nodes.values():
        if child.parent == target:
            nodes[child.id] = replace(child, matrix=np.linalg.inv(moved) @ world[child.id])
    return replace(scene, nodes=nodes)


def apply_transform(scene: Scene, target: str, value: Any) -> Scene:
    """Bake a part's whole world transform into its points; nothing moves in the world, children included."""
    node = scene.nodes.get(target)
    moved = {channel.node for clip in scene.clips.values() for channel in clip.channels}
    if not value or node is None or node.mesh is None or node.skin is not None or target in moved:
        return scene
    world = scene.world_matrices()[target]
    scene, mesh = mesh_of_own(scene, target)
    assert mesh is not None
    scene = with_mesh(
        scene, replace(mesh, primitives=tuple(moved_primitive(p, world) for p in mesh.primitives))
    )
    return _keeping_children(scene, target, _local(scene, scene.nodes[target], np.eye(4)))


def center_pivot(scene: Scene, target: str, value: Any) -> Scene:
    """Put a part's origin into the middle of its box; its points and its children stay where they are."""
    node = scene.nodes.get(target)
    if (
        value is not True
        or node is None
        or node.mesh is None
        or node.skin is not None
        or any(c.node == target for clip in scene.clips.values() for c in clip.channels)
    ):
        return scene
    scene, mesh = mesh_of_own(scene, target)
    assert mesh is not None
    clouds = [p.positions for p in mesh.primitives if len(p.positions)]
    if not clouds:
        return scene
    middle = (
        np.min([c.min(axis=0) for c in clouds], axis=0) + np.max([c.max(axis=0) for c in clouds], axis=0)
    ) / 2
    shift = np.eye(4)
    shift[:3, 3] = middle
    scene = with_mesh(
        scene,
        replace(
            mesh,
            primitives=tuple(
                replace(p, positions=(p.positions - middle).astype(np.float32)) for p in mesh.primitives
            ),
        ),
    )
    return _keeping_children(scene, target, scene.nodes[target].matrix @ shift)


def place(scene: Scene, target: str, value: Any) -> Scene:
    """A part, or a group with all that is beneath it, moved, turned and sized by numbers about the middle of
    its box, in the world.

    ``value``: ``{"move_m": [x, y, z], "turn_deg": [x, y, z], "size": factor}``, each optional; turns are
    applied x, then y, then z.
    """
    node, box = scene.nodes.get(target), _box_of(scene, target)
    if node is None or box is None:
        return scene
    move, turn, size = (
        value.get("move_m", (0, 0, 0)),
        value.get("turn_deg", (0, 0, 0)),
        float(value.get("size", 1)),
    )
    middle = (box[0] + box[1]) / 2
    rotation = np.eye(4)
    for axis, degrees in enumerate(turn):
        half = math.radians(float(degrees)) / 2
        quaternion = [0.0, 0.0, 0.0, math.cos(half)]
        quaternion[axis] = math.sin(half)
        rotation = compose(rotation=quaternion) @ rotation
    change = (
        compose([float(m) for m in move])
        @ compose(middle)
        @ rotation
        @ compose(scale=(size, size, size))
        @ compose(-middle)
    )
    world = scene.world_matrices()[target]
    return replace(
        scene, nodes={**scene.nodes, target: replace(node, matrix=_local(scene, node, change @ world))}
    )


def _box_of(scene: Scene, target: str) -> Doubles | None:
    """World-space box (2, 3) of a part, or of all parts of a group; None without points."""
    boxes = part_bounds(scene)
    if target in boxes:
        return boxes[target]
    return union_box({id: boxes[id] for id in parts_beneath(scene, target) if id in boxes})


def part_stands(scene: Scene, target: str, value: Any) -> Scene:
    """A part moved up or down until its lowest point is at height zero; one step among others of placing it,
    in their order.
    """
    box = _box_of(scene, target)
    return (
        scene
        if box is None or value is not True
        else place(scene, target, {"move_m": (0.0, -float(box[0][1]), 0.0)})
    )


def stand_on_ground(scene: Scene, target: str, value: Any) -> Scene:
    """The whole scene moved up or down until its lowest point is at height zero."""
    box = bounds(scene) if target == "scene" else None
    return (
        scene if box is None or value is not True else move_m(scene, "scene", (0.0, -float(box[0][1]), 0.0))
    )


def move_m(scene: Scene, target: str, value: Any) -> Scene:
    """The whole scene moved by metres."""
    return _under(scene, compose([float(v) for v in value]), "Moved")


def recentre(scene: Scene, target: str, value: Any) -> Scene:
    """The whole scene moved sideways until the middle of its box stands over the origin."""
    box = bounds(scene)
    if value is not True or box is None:
        return scene
    middle = (box[0] + box[1]) / 2
    return move_m(scene, "scene", (-float(middle[0]), 0.0, -float(middle[2])))


def scale(scene: Scene, target: str, value: Any) -> Scene:
    """The whole scene sized by a factor about the middle of its base, so that it stands where it stood;
    lengths of materials, lamps and lenses follow.
    """
    factor = float(value)
    box = bounds(scene)
    foot = np.array([box[:, 0].mean(), box[0, 1], box[:, 2].mean()]) if box is not None else np.zeros(3)
    sized = _under(scene, compose(tuple(foot * (1 - factor)), scale=(factor, factor, factor)), "Sized")
    return with_lengths_times(rigid_lamps(sized), factor)


def _under(scene: Scene, matrix: Doubles, name: str) -> Scene:
    """Everything below a new root; a still scene of roots without parents has its roots moved instead."""
    if not scene.skins and not scene.clips:
        return replace(
            scene,
            nodes={
                id: replace(n, matrix=matrix @ n.matrix) if n.parent is None else n
                for id, n in scene.nodes.items()
            },
        )
    root = Node(f"part:{name.lower()}", name, None, matrix)
    while root.id in scene.nodes:
        root = replace(root, id=root.id + "-again")
    return replace(
        scene,
        nodes={
            root.id: root,
            **{id: replace(n, parent=root.id) if n.parent is None else n for id, n in scene.nodes.items()},
        },
    )


def parent(scene: Scene, target: str, value: Any) -> Scene:
    """A part moved to another group (a node id, or null for none), staying where it is in the world."""
    node = scene.nodes.get(target)
    if node is None or value == target or (value is not None and value not in scene.nodes):
        return scene
    above: str | None = value
    while above is not None:
        if above == target:
            return scene
        above = scene.nodes[above].parent
    world = scene.world_matrices()
    moved = replace(
        node,
        parent=value,
        matrix=(np.linalg.inv(world[value]) if value is not None else np.eye(4)) @ world[target],
    )
    # Parents come before children.
    return replace(scene, nodes=_ordered({**scene.nodes, target: moved}))


def _ordered(nodes: dict[str, Node]) -> dict[str, Node]:
    done: dict[str, Node] = {}

    def add(node: Node) -> None:
        if node.id in done:
            return
        if node.parent is not None:
            add(nodes[node.parent])
        done[node.id] = node

    for node in nodes.values():
        add(node)
    return done


def freeze(scene: Scene, target: str, value: Any) -> Scene:
    """One moment of a clip kept, the motion dropped. ``value``: ``{"clip": id, "time_s": t}``."""
    clip = scene.clips.get(str(value.get("clip")))
    if clip is None:
        return scene
    matrices, _ = posed_matrices(scene, clip, float(value.get("time_s", 0)))
    return replace(
        scene,
        nodes={id: replace(n, matrix=matrices.get(id, n.matrix)) for id, n in scene.nodes.items()},
        clips={},
    )


def drop_broken_keys(scene: Scene, target: str, value: Any) -> Scene:
    """A clip without the channels whose keys are broken."""
    clip = scene.clips.get(target)
    if clip is None or value is not True:
        return scene

    def sound(c: Channel) -> bool:
        return bool(
            np.isfinite(c.values).all() and np.isfinite(c.times_s).all() and (np.diff(c.times_s) > 0).all()
        )

    return replace(
        scene,
        clips={**scene.clips, target: replace(clip, channels=tuple(c for c in clip.channels if sound(c)))},
    )


def tag(name: str) -> Callable[[Scene, str, Any], Scene]:
    """A tag of a part; None leaves it unsaid again."""

    def change(scene: Scene, target: str, value: Any) -> Scene:
        node = scene.nodes.get(target)
        if node is None:
            return scene
        said: dict[str, Any] = {
            name: ("" if name in ("surface", "collision") else None) if value is None else value
        }
        return replace(scene, nodes={**scene.nodes, target: replace(node, tags=replace(node.tags, **said))})

    return change
