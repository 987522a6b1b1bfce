"""The tree as a destination keeps it: what stays behind where there are no groups, what things are called,
points written where they stand.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from trasloco.fit.lights import emptied_by
from trasloco.render.posing import posed
from trasloco.scene.geometry import moved_primitive
from trasloco.scene.joining import joined_slots
from trasloco.scene.model import Node, Scene
from trasloco.sheets.model import Sheet


NO_MATERIAL = "No material"
"""What everything wears at a destination that knows no materials."""


@dataclass(frozen=True)
class Names:
    """What parts and materials are called at the destination, by id."""

    parts: Mapping[str, str]
    materials: Mapping[str, str]


def plain_names(named: Iterable[tuple[str, str]]) -> dict[str, str]:
    """Names of ids as letters, digits, - and _, each once whatever the case; ``unnamed`` where nothing is
    left.
    """
    found: dict[str, str] = {}
    taken: set[str] = set()
    for id, name in named:
        ascii_only = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
        base = re.sub(r"[^A-Za-z0-9_\-]+", "_", ascii_only).strip("_")[:80] or "unnamed"
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
    parts_there = dict(parts) if destination.structure.names == "kept" else plain_names(parts)
    if destination.structure.slots == "none":
        return Names(parts_there, {id: NO_MATERIAL for id, _ in materials})
    kept = destination.structure.names == "kept"
    return Names(parts_there, dict(materials) if kept else plain_names(materials))


def as_kept(scene: Scene, names: Names, destination: Sheet) -> Scene:
    """A scene that is to be delivered, with its tree, names and points as the destination keeps them. Nodes
    that ``names`` does not know stay behind.
    """
    nodes = {
        id: replace(node, name=names.parts[id]) for id, node in scene.nodes.items() if id in names.parts
    }
    materials = {
        id: replace(m, name=names.materials.get(id, m.name)) for id, m in scene.materials.items()
    }
    named = replace(scene, nodes=nodes, materials=materials)
    if destination.structure.groups:
        return named
    if destination.structure.pivots:
        return _apart(replace(named, nodes=scene.nodes), nodes)
    return _standing(scene, named, destination)


def _apart(whole: Scene, nodes: Mapping[str, Node]) -> Scene:
    """Every node by itself, where it stands in the world."""
    world = whole.world_matrices()
    return replace(
        whole, nodes={id: replace(node, parent=None, matrix=world[id]) for id, node in nodes.items()}
    )


def _standing(whole: Scene, named: Scene, destination: Sheet) -> Scene:
    """Every part with a mesh of its own whose points are in the world, at rest; nothing moves."""
    rest = posed(whole)
    world = rest.world_matrices()
    nodes, meshes = {}, {}
    for id, node in named.nodes.items():
        mesh = rest.meshes.get(rest.nodes[id].mesh or "")
        if mesh is None:
            nodes[id] = replace(node, parent=None, matrix=world[id])
            continue
        own = f"{id}/mesh"
        moved = [
            replace(moved_primitive(p, world[id]), joints=None, weights=None, morphs=())
            for p in mesh.primitives
        ]
        if not destination.structure.normals:
            moved = [replace(p, normals=None) for p in moved]
        primitives = joined_slots(moved, destination.structure.slots)
        meshes[own] = replace(mesh, id=own, name=node.name, primitives=primitives, morph_names=())
        nodes[id] = replace(node, parent=None, matrix=np.eye(4), mesh=own, skin=None)
    return replace(named, nodes=nodes, meshes=meshes, skins={}, clips={})
