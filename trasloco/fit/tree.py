"""The tree as a destination keeps it: what stays behind where there are no groups, what things are called,
points written where they stand.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from trasloco.fit.in_the_world import in_the_world
from trasloco.fit.lights import emptied_by
from trasloco.render.posing import posed, shapes_on
from trasloco.scene.geometry import moved_primitive
from trasloco.scene.joining import joined_slots
from trasloco.scene.model import Mesh, Node, Scene
from trasloco.sheets.model import Sheet

NO_MATERIAL = "No material"
"""What everything wears at a destination that knows no materials."""


@dataclass(frozen=True)
class Names:
    """What parts, materials and clips are called at the destination, by id."""

    parts: Mapping[str, str]
    materials: Mapping[str, str]
    clips: Mapping[str, str]


def plain_names(named: Iterable[tuple[str, str]]) -> dict[str, str]:
    """Names of ids as letters, digits, - and _, not beginning with a digit, each once whatever the case;
    ``unnamed`` where nothing is left.
    """
    found: dict[str, str] = {}
    taken: set[str] = set()
    for id, name in named:
        ascii_only = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
        base = re.sub(r"[^A-Za-z0-9_\-]+", "_", ascii_only).strip("_-")[:80] or "unnamed"
        base = f"_{base}" if base[0].isdigit() else base
        made, number = base, 1
        while made.lower() in taken:
            number += 1
            made = f"{base}_{number}"
        taken.add(made.lower())
        found[id] = made
    return found


def left_behind(reference: Scene, destination: Sheet, travelling: Iterable[str]) -> frozenset[str]:
    """Nodes that do not travel: those that only held a lamp which stays behind, and, where there are no
    groups, whatever has nothing of its own to show.
    """
    travelling = set(travelling)
    emptied = emptied_by(reference, travelling)
    return emptied | (
        frozenset() if destination.structure.groups else _bare(reference, destination, travelling)
    )


def _bare(reference: Scene, destination: Sheet, travelling: set[str]) -> frozenset[str]:
    joints = {joint for skin in reference.skins.values() for joint in skin.joints}
    needed = joints if "skins" in destination.structure.motion else set()
    return frozenset(
        node.id
        for node in reference.nodes.values()
        if node.mesh is None
        and node.light not in travelling
        and not (node.camera and destination.cameras.taken)
        and not (node.cloud and destination.structure.clouds)
        and node.id not in needed
    )


def names_there(reference: Scene, destination: Sheet, behind: Iterable[str]) -> Names:
    """What everything that travels is called at the destination."""
    left = set(behind)
    parts = [(node.id, node.name) for node in reference.nodes.values() if node.id not in left]
    materials = [(m.id, m.name) for m in reference.materials.values()]
    called = dict if destination.structure.names == "kept" else plain_names
    clips = called([(clip.id, clip.name) for clip in reference.clips.values()])
    if destination.structure.slots == "none":
        return Names(called(parts), {id: NO_MATERIAL for id, _ in materials}, clips)
    return Names(called(parts), called(materials), clips)


def shape_names(mesh: Mesh, destination: Sheet) -> tuple[str, ...]:
    """What the shapes of a mesh are called at the destination."""
    if destination.structure.names == "kept":
        return mesh.morph_names
    return tuple(plain_names((str(k), name) for k, name in enumerate(mesh.morph_names)).values())


def as_kept(scene: Scene, names: Names, destination: Sheet) -> Scene:
    """A scene that is to be delivered, with its tree, names and points as the destination keeps them. Nodes
    that ``names`` does not know stay behind.
    """
    if "shapes" not in destination.structure.motion:
        scene = _without_shapes(shapes_on(scene))
    if "skins" not in destination.structure.motion:
        scene = at_rest(scene)
    if not destination.structure.variants:
        scene = _without_variants(scene)
    nodes = {id: replace(node, name=names.parts[id]) for id, node in scene.nodes.items() if id in names.parts}
    materials = {id: replace(m, name=names.materials.get(id, m.name)) for id, m in scene.materials.items()}
    clips = {id: replace(clip, name=names.clips[id]) for id, clip in scene.clips.items()}
    meshes = {
        id: replace(mesh, morph_names=shape_names(mesh, destination)) for id, mesh in scene.meshes.items()
    }
    named = replace(scene, nodes=nodes, meshes=meshes, materials=materials, clips=clips)
    if destination.structure.groups:
        return named
    if destination.structure.pivots:
        return _apart(replace(named, nodes=scene.nodes), nodes)
    return _standing(scene, named, destination)


def _without_variants(scene: Scene) -> Scene:
    """The scene with what it wears now alone."""
    meshes = {
        id: replace(mesh, primitives=tuple(replace(p, variants={}) for p in mesh.primitives))
        for id, mesh in scene.meshes.items()
    }
    return replace(scene, meshes=meshes, variants=())


def _without_shapes(scene: Scene) -> Scene:
    """The scene without shapes, and without motion of their weights alone."""
    meshes = {
        id: replace(mesh, primitives=tuple(replace(p, morphs=()) for p in mesh.primitives), morph_names=())
        for id, mesh in scene.meshes.items()
    }
    clips = {
        id: replace(clip, channels=moved)
        for id, clip in scene.clips.items()
        if (moved := tuple(c for c in clip.channels if c.path != "weights"))
    }
    return replace(scene, meshes=meshes, clips=clips)


def at_rest(scene: Scene) -> Scene:
    """The scene with skinned parts as they are at rest, in their own space, and no skins any more. Shapes stay as
    much on as they are.
    """
    if not scene.skins:
        return scene
    off = {id: replace(node, shape_weights=()) for id, node in scene.nodes.items()}
    rest = posed(replace(scene, nodes=off))
    on = {id: replace(node, shape_weights=scene.nodes[id].shape_weights) for id, node in rest.nodes.items()}
    rest = replace(rest, nodes=on)
    skinned = [part for part in scene.parts() if part.skin in scene.skins]
    changed = {rest.nodes[part.id].mesh for part in skinned}
    # As it was before joints pulled at it, nobody wears it any more.
    bare = {part.mesh for part in skinned} - {node.mesh for node in rest.nodes.values()}
    meshes = {
        id: replace(mesh, primitives=tuple(replace(p, joints=None, weights=None) for p in mesh.primitives))
        if id in changed
        else mesh
        for id, mesh in rest.meshes.items()
        if id not in bare
    }
    return replace(rest, meshes=meshes, skins={})


def _apart(whole: Scene, nodes: Mapping[str, Node]) -> Scene:
    """Every node by itself, where it stands in the world."""
    world = whole.world_matrices()
    alone = {id: replace(node, parent=None, matrix=world[id]) for id, node in nodes.items()}
    clips = {
        id: replace(
            clip,
            channels=(*in_the_world(whole, clip, nodes), *(c for c in clip.channels if c.path == "weights")),
        )
        for id, clip in whole.clips.items()
    }
    return replace(whole, nodes=alone, clips=clips)


def _standing(whole: Scene, named: Scene, destination: Sheet) -> Scene:
    """Every part with a mesh of its own whose points are in the world, at rest; nothing moves."""
    world = whole.world_matrices()
    nodes, meshes = {}, {}
    for id, node in named.nodes.items():
        mesh = whole.meshes.get(node.mesh or "")
        if mesh is None:
            nodes[id] = replace(node, parent=None, matrix=world[id])
            continue
        own = f"{id}/mesh"
        moved = [replace(moved_primitive(p, world[id]), morphs=()) for p in mesh.primitives]
        primitives = joined_slots(moved, destination.structure.slots)
        meshes[own] = replace(mesh, id=own, name=node.name, primitives=primitives, morph_names=())
        nodes[id] = replace(node, parent=None, matrix=np.eye(4), mesh=own, skin=None)
    return replace(named, nodes=nodes, meshes=meshes, skins={}, clips={})
