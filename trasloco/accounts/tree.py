"""Parts, groups and pivots on both sides."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np

from trasloco.accounts.model import Fact
from trasloco.accounts.pairing import Pairs
from trasloco.accounts.standing import Standing
from trasloco.fit.model import Passage, Plan
from trasloco.meshes.obstacles import obstacles_of
from trasloco.scene.geometry import transform_points
from trasloco.scene.model import Doubles, Node, Obstacle, Scene, Tags
from trasloco.scene.tags import tags_words
from trasloco.sheets.model import Sheet

PLACE = 1e-5
"""Metres, or shares of an axis, within which two places are the same: what single precision keeps at ten
metres.
"""


_LIFTED = 1e-3
"""Of a part's size: more than backs are lifted off its faces."""


def tree_facts(
    reference: Scene,
    arrival: Scene,
    destination: Sheet,
    plan: Plan,
    pairs: Pairs,
    promises: dict[Any, Passage],
) -> Iterator[Fact]:
    """Facts of every node: its place in the world, its group, its words, whom it shares its mesh with."""
    stands = None if destination.structure.pivots else Standing(reference, arrival, destination, plan)
    here, there = reference.world_matrices(), arrival.world_matrices()
    sharing, shared = _sharing(reference), _sharing(arrival)
    for node in reference.nodes.values():
        other = arrival.nodes.get(pairs.nodes.get(node.id, ""))
        if other is None and node.id in pairs.behind:
            continue  # told with its lamp
        if other is None:
            yield Fact(
                "part", node.id, "place", node.name, placed(here[node.id]), "not there", False, gone=True
            )
            continue
        apart = apart_by(
            here[node.id], there[other.id], bare=node.mesh is None and bool(node.light or node.camera)
        )
        yield Fact(
            "part",
            node.id,
            "place",
            node.name,
            placed(here[node.id]),
            placed(there[other.id]),
            apart <= PLACE,
            kept=stands is not None and stands.alike(node, other),
        )
        called = promises.get(("part", node.id, "name"))
        if called is not None or node.name != other.name:
            kept = called is not None and called.stand_in == other.name
            yield Fact(
                "part", node.id, "name", node.name, node.name, other.name, node.name == other.name, kept=kept
            )
        yield from _words(node, other)
        if destination.structure.obstacles == "shapes" or other.obstacles:
            slack = next((m.largest_m or 0.0 for m in plan.meshes if m.mesh == node.mesh), 0.0)
            yield from _obstacles(node, other, reference, here[node.id], there[other.id], slack)
        parent = pairs.nodes.get(node.parent or "")
        if node.parent is not None or other.parent is not None:
            same = other.parent == parent
            yield Fact(
                "part",
                node.id,
                "group",
                node.name,
                _group(reference, node),
                _group(arrival, other),
                same,
                gone=other.parent is None,
            )
        if node.mesh in sharing:
            wanted = {pairs.nodes.get(id, "") for id in sharing[node.mesh]}
            # Shapes that are on go into a mesh of each part's own where none are known.
            apart = "shapes" not in destination.structure.motion and any(
                any(reference.nodes[id].shape_weights) for id in sharing[node.mesh]
            )
            got = shared.get(other.mesh or "", {other.id})
            yield Fact(
                "part",
                node.id,
                "instance",
                node.name,
                f"shares its mesh with {len(wanted) - 1}",
                f"with {len(got) - 1}",
                got == wanted,
                gone=got == {other.id},
                kept=apart,
            )
        elif other.mesh in shared and node.mesh is not None:
            yield Fact(
                "part",
                node.id,
                "instance",
                node.name,
                "has its mesh alone",
                f"shares it with {len(shared[other.mesh]) - 1}",
                False,
            )
    for id in pairs.new_nodes:
        yield Fact("part", id, "place", arrival.nodes[id].name, "not there", placed(there[id]), False)
    said, told = reference.payload.get("extras"), arrival.payload.get("extras")
    if said or told:
        yield Fact(
            "part",
            "scene",
            "properties",
            "The scene",
            _counted(said),
            _counted(told),
            said == told,
            gone=not told,
        )


def _obstacles(
    node: Node, other: Node, reference: Scene, here: Doubles, there: Doubles, slack_m: float
) -> Iterator[Fact]:
    """Shapes that stand for a part, by their corners in the world: what a hull is made of may have been cut
    at the borders of charts, and then its triangles are others. Of a mesh with other faces they reach as far,
    within ``slack_m`` and what backs are lifted.
    """
    mesh = reference.meshes.get(node.mesh or "")
    meant = obstacles_of(mesh, node.tags.collision) if mesh is not None else []
    if not meant and not other.obstacles:
        return
    sent, came = (_corners(held, at) for held, at in ((meant, here), (other.obstacles, there)))
    same = len(meant) == len(other.obstacles) and _same_corners(sent, came)
    told, got = (f"{len(held)} shape{'s' if len(held) != 1 else ''}" for held in (meant, other.obstacles))
    reach = bool(meant) and bool(other.obstacles) and _reach_alike(sent, came, slack_m)
    yield Fact("part", node.id, "obstacle", node.name, told, got, same, gone=not other.obstacles, kept=reach)


def _corners(shapes: Sequence[Obstacle], matrix: Doubles) -> Doubles:
    held = [one.positions for one in shapes]
    return transform_points(matrix, np.concatenate(held) if held else np.zeros((0, 3)))


def _reach_alike(first: Doubles, second: Doubles, slack_m: float) -> bool:
    """Whether two sets of corners lie in the same box."""
    boxes = [np.stack([one.min(axis=0), one.max(axis=0)]) for one in (first, second)]
    most = 1.02 * slack_m + _LIFTED * float(np.ptp(boxes[0], axis=0).max()) + PLACE
    return float(np.abs(boxes[0] - boxes[1]).max()) <= most


def _same_corners(first: Doubles, second: Doubles) -> bool:
    """Whether every corner of each has one of the other's in its place."""
    from scipy.spatial import cKDTree

    most = PLACE * max(1.0, float(np.abs(first).max()))
    return all(float(np.max(cKDTree(a).query(b)[0])) <= most for a, b in ((first, second), (second, first)))


def _words(node: Node, other: Node) -> Iterator[Fact]:
    if node.tags != Tags() or other.tags != Tags():
        gone = other.tags == Tags()
        yield Fact(
            "part",
            node.id,
            "tags",
            node.name,
            tags_words(node.tags),
            tags_words(other.tags),
            node.tags == other.tags,
            gone,
        )
    if node.layers or other.layers:
        same = set(node.layers) == set(other.layers)
        yield Fact(
            "part",
            node.id,
            "layers",
            node.name,
            ", ".join(node.layers),
            ", ".join(other.layers),
            same,
            not other.layers,
        )
    sent, got = own_properties(node.payload.get("extras")), own_properties(other.payload.get("extras"))
    if sent or got:
        yield Fact(
            "part", node.id, "properties", node.name, _counted(sent), _counted(got), sent == got, gone=not got
        )


def own_properties(extras: object) -> object:
    """Custom properties without what is ours."""
    return (
        {key: value for key, value in extras.items() if key != "trasloco"}
        if isinstance(extras, dict)
        else extras
    )


def _counted(extras: object) -> str:
    return (
        f"{len(extras)} custom properties"
        if isinstance(extras, dict | list)
        else "custom properties"
        if extras
        else "none"
    )


def _group(scene: Scene, node: Node) -> str:
    return scene.nodes[node.parent].name if node.parent is not None else "no group"


def _sharing(scene: Scene) -> dict[str, set[str]]:
    """Meshes that several nodes wear, with those nodes."""
    worn: dict[str, set[str]] = defaultdict(set)
    for node in scene.nodes.values():
        if node.mesh is not None:
            worn[node.mesh].add(node.id)
    return {mesh: nodes for mesh, nodes in worn.items() if len(nodes) > 1}


def apart_by(first: Doubles, second: Doubles, bare: bool = False) -> float:
    """How far two world matrices lie apart, relative to their size where that is above one; what is ``bare``
    has no size, so its axes count by direction.
    """
    a, b = first[:3], second[:3]
    if bare:
        a, b = _rigid(a), _rigid(b)
    return float((np.abs(a - b) / np.maximum(1.0, np.abs(a))).max())


def _rigid(matrix: Doubles) -> Doubles:
    made = matrix.copy()
    made[:, :3] /= np.maximum(np.linalg.norm(made[:, :3], axis=0), 1e-30)
    return made


def placed(matrix: Doubles) -> str:
    """A place and size in words of few digits."""
    x, y, z = matrix[:3, 3]
    size = np.linalg.norm(matrix[:3, :3], axis=0)
    scaled = "" if np.abs(size - 1).max() < 1e-4 else " × " + " ".join(f"{s:.4g}" for s in size)
    return f"{x:.4g} {y:.4g} {z:.4g} m{scaled}"
