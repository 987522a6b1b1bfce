"""Which thing of the arrival is which of the reference: by name and place in the tree, equals by their order."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Protocol

from trasloco.fit.tree import NO_MATERIAL, Names
from trasloco.scene.model import Node, Scene
from trasloco.sheets.model import Sheet


class _Named(Protocol):
    @property
    def id(self) -> str: ...
    @property
    def name(self) -> str: ...


@dataclass(frozen=True)
class Pairs:
    """Ids of the reference to ids of the arrival.

    ``new_*`` are ids of the arrival that pair with nothing; ``behind`` are nodes that stay behind by the
    plan.
    """

    nodes: Mapping[str, str]
    meshes: Mapping[str, str]
    materials: Mapping[str, str]
    clips: Mapping[str, str]
    new_nodes: tuple[str, ...]
    new_materials: tuple[str, ...]
    new_clips: tuple[str, ...]
    behind: frozenset[str] = frozenset()


def as_named(reference: Scene, names: Names, destination: Sheet) -> Scene:
    """A reference whose parts and materials are called, and hang, as they do at the destination."""
    flat = not destination.structure.groups
    nodes = {
        id: replace(
            node,
            name=names.parts.get(id, node.name),
            parent=None if flat else node.parent,
        )
        for id, node in reference.nodes.items()
    }
    materials = {id: replace(m, name=names.materials[id]) for id, m in reference.materials.items()}
    clips = {id: replace(clip, name=names.clips[id]) for id, clip in reference.clips.items()}
    return replace(reference, nodes=nodes, materials=materials, clips=clips)


def paired(
    reference: Scene, arrival: Scene, behind: Collection[str] = (), untold: Collection[str] | None = None
) -> Pairs:
    """Pair two scenes.

    Nodes that stay ``behind`` by the plan pair with what is left once all others are paired; of those, nobody
    speaks of the ``untold``, which are all where nothing is said.
    """
    nodes = _nodes(reference, arrival, behind)
    materials = _materials(reference, arrival, nodes)
    clips = by_name(reference.clips.values(), arrival.clips.values())
    return Pairs(
        nodes,
        _meshes(reference, arrival, nodes),
        materials,
        clips,
        _rest(arrival.nodes, nodes),
        _rest(arrival.materials, materials),
        _rest(arrival.clips, clips),
        frozenset(behind if untold is None else untold),
    )


def _rest(arrived: Mapping[str, object], pairs: Mapping[str, str]) -> tuple[str, ...]:
    known = set(pairs.values())
    return tuple(id for id in arrived if id not in known)


def by_name(first: Iterable[_Named], second: Iterable[_Named]) -> dict[str, str]:
    """The k-th of a name pairs with the k-th of that name."""
    waiting: dict[str, list[str]] = defaultdict(list)
    for one in second:
        waiting[one.name].append(one.id)
    found: dict[str, str] = {}
    for one in first:
        if waiting[one.name]:
            found[one.id] = waiting[one.name].pop(0)
    return found


def _meshes(reference: Scene, arrival: Scene, nodes: Mapping[str, str]) -> dict[str, str]:
    """By the first part that wears each."""
    found: dict[str, str] = {}
    for here, there in nodes.items():
        first, second = reference.nodes[here].mesh, arrival.nodes[there].mesh
        if first is not None and second is not None:
            found.setdefault(first, second)
    return found


def _materials(reference: Scene, arrival: Scene, nodes: Mapping[str, str]) -> dict[str, str]:
    """By name; materials of one name by what most slots that wear them wear there."""
    votes: dict[str, Counter[str]] = defaultdict(Counter)
    for here, there in nodes.items():
        first, second = (
            reference.meshes.get(reference.nodes[here].mesh or ""),
            arrival.meshes.get(arrival.nodes[there].mesh or ""),
        )
        if first is None or second is None:
            continue
        filled = [[p.material for p in mesh.primitives if len(p.indices)] for mesh in (first, second)]
        for one, other in zip(*filled):
            known = one in reference.materials and other in arrival.materials
            if known and reference.materials[one or ""].name == arrival.materials[other or ""].name:
                votes[one or ""][other or ""] += 1
    if {m.name for m in reference.materials.values()} == {NO_MATERIAL} and len(arrival.materials) == 1:
        (only,) = arrival.materials
        return dict.fromkeys(reference.materials, only)
    found: dict[str, str] = {}
    for count, one, other in sorted(
        ((-c, one, other) for one, held in votes.items() for other, c in held.items())
    ):
        if count and one not in found and other not in found.values():
            found[one] = other
    taken = set(found.values())
    left = by_name(
        (m for m in reference.materials.values() if m.id not in found),
        (m for m in arrival.materials.values() if m.id not in taken),
    )
    return {**found, **left}


def _nodes(reference: Scene, arrival: Scene, behind: Collection[str]) -> dict[str, str]:
    """Nodes by name among the children of a pair, then whatever is left by name alone, so that what only
    changed its group is still the same thing.
    """
    below: dict[str | None, list[Node]] = defaultdict(list)
    for node in arrival.nodes.values():
        below[node.parent].append(node)
    children: dict[str | None, list[Node]] = defaultdict(list)
    for node in reference.nodes.values():
        if node.id not in behind:
            children[node.parent].append(node)
    found: dict[str, str] = {}
    pending: list[tuple[str | None, str | None]] = [(None, None)]
    while pending:
        above, there = pending.pop()
        pairs = by_name(children[above], below[there])
        found |= pairs
        pending += list(pairs.items())
    taken = set(found.values())
    left = by_name(
        sorted((n for n in reference.nodes.values() if n.id not in found), key=lambda n: n.id in behind),
        (n for n in arrival.nodes.values() if n.id not in taken),
    )
    return {**found, **left}
