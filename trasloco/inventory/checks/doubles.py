"""The same thing twice: one part over another, or a whole set of parts sent again, wherever it stands."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from trasloco.inventory.context import Context
from trasloco.inventory.marking import names_of
from trasloco.scene.digest import digest
from trasloco.scene.findings import Evidence, Finding, Mend
from trasloco.scene.geometry import transform_points
from trasloco.scene.model import Decision, Doubles, Material, Node, Scene

_NEAR = 0.05
"""A share of its size within which a part stands in its twin."""
_SET, _POINTS = 3, 512
"""So many twins that lie apart by the same way are one set sent twice."""
_COPY = re.compile(
    r"(?:\b|_)(?:copy|copied|duplicate|again|new|old)(?:\b|_)|[\s_.\-(]*\d+\)?$", re.IGNORECASE
)


@dataclass(frozen=True)
class _Shape:
    """What a part looks like wherever it stands: ``center`` (3,) and ``size`` in metres; ``points`` (N, 3)
    are some of its vertices, from the centre.
    """

    part: str
    mesh: str
    center: npt.NDArray[np.float64]
    size: float
    vertices: int
    points: npt.NDArray[np.float64]


@dataclass(frozen=True)
class _Twin:
    """A part and the earlier one it repeats; ``way`` (3,) is from the earlier one to it, in metres."""

    second: _Shape
    first: _Shape
    way: npt.NDArray[np.float64]

    @property
    def apart(self) -> float:
        return float(np.linalg.norm(self.way))

    @property
    def near(self) -> bool:
        return self.apart <= _NEAR * self.second.size


def duplicates(context: Context) -> Iterator[Finding]:
    """Parts of the same shape and look at nearly the same place, and sets of them at any distance. Places are
    compared in the world, shapes relative to their centre.

    Parts that share a mesh, or that come more than twice, were repeated on purpose; only where one stands in
    the other is that told.
    """
    twins = list(_twins(context.scene))
    sets = _sets(twins)
    told = {twin.second.part for members in sets for twin in members}
    for members in sets:
        yield _set_twice(context.scene, members)
    for twin in twins:
        if twin.near and twin.second.part not in told:
            yield _part_twice(context.scene, twin)


def _twins(scene: Scene) -> Iterator[_Twin]:
    for group in _alike(scene):
        from scipy.spatial import cKDTree

        centers = np.array([shape.center for shape in group])
        tree = cKDTree(centers)
        for k, one in enumerate(group):
            near = [j for j in tree.query_ball_point(one.center, _NEAR * one.size) if j < k]
            other = group[min(near)] if near else None
            if (
                other is None
                and k == 1
                and len(group) == 2
                and one.mesh != group[0].mesh
                and _named_alike(scene.nodes[one.part].name, scene.nodes[group[0].part].name)
            ):
                other = group[0]
            if other is not None:
                yield _Twin(one, other, one.center - other.center)


def _alike(scene: Scene) -> Iterator[list[_Shape]]:
    """Parts that look the same wherever they stand, two and more, in the file's order."""
    looks = {material.id: _look(material, scene) for material in scene.materials.values()}
    coarse: dict[tuple[object, ...], list[Node]] = defaultdict(list)
    for part in scene.parts():
        primitives = scene.meshes[part.mesh or ""].primitives
        if any(len(p.positions) for p in primitives):
            coarse[
                tuple((looks.get(p.material or "", ""), len(p.positions), len(p.indices)) for p in primitives)
            ].append(part)
    world = scene.world_matrices()
    for parts in coarse.values():
        classes: list[list[_Shape]] = []
        for part in parts if len(parts) > 1 else ():
            shape = _shape_of(scene, part, world[part.id])
            held = next((held for held in classes if _same_shape(held[0], shape)), None)
            if held is None:
                classes.append([shape])
            else:
                held.append(shape)
        yield from (held for held in classes if len(held) > 1)


def _shape_of(scene: Scene, part: Node, world: Doubles) -> _Shape:
    mesh = scene.meshes[part.mesh or ""]
    cloud = np.concatenate(
        [transform_points(world, p.positions) for p in mesh.primitives if len(p.positions)]
    ).astype(np.float64)
    size = float(np.linalg.norm(cloud.max(axis=0) - cloud.min(axis=0)))
    center = cloud.mean(axis=0)
    return _Shape(
        part.id, mesh.id, center, size, len(cloud), cloud[:: max(len(cloud) // _POINTS, 1)] - center
    )


def _same_shape(first: _Shape, second: _Shape) -> bool:
    """To a thousandth of the size: far coarser than rounding, far finer than any intended change of shape."""
    return bool(np.abs(first.points - second.points).max() <= 1e-3 * max(first.size, second.size, 1e-12))


def _look(material: Material, scene: Scene) -> str:
    """What a material is, whatever it and its images are called: a copy looks the same."""
    inputs = {
        name: given.retextured(
            lambda t: replace(t, image=scene.images[t.image].digest if t.image in scene.images else t.image)
        )
        for name, given in material.inputs.items()
    }
    return digest(replace(material, id="", name="", payload={}, inputs=inputs))


def _named_alike(first: str, second: str) -> bool:
    """Whether one name is the other, or the other with what a copy adds to it."""
    a, b = first.casefold().strip(), second.casefold().strip()
    return a == b or _COPY.sub("", a).strip(" _.-") == b or _COPY.sub("", b).strip(" _.-") == a


def _sets(twins: Sequence[_Twin]) -> list[list[_Twin]]:
    """Twins that lie apart by the same way, from :data:`_SET` on."""
    found: list[list[_Twin]] = []
    for twin in twins:
        near = next(
            (
                members
                for members in found
                if float(np.linalg.norm(members[0].way - twin.way))
                <= 1e-3 * max(twin.second.size, members[0].second.size)
            ),
            None,
        )
        if near is None:
            found.append([twin])
        else:
            near.append(twin)
    return [members for members in found if len(members) >= _SET]


def _set_twice(scene: Scene, members: Sequence[_Twin]) -> Finding:
    seconds, firsts = [twin.second.part for twin in members], [twin.first.part for twin in members]
    second, first = _group_of(scene, seconds), _group_of(scene, firsts)
    way = np.asarray(np.median([twin.way for twin in members], axis=0), np.float64)
    apart = float(np.linalg.norm(way))
    named = (
        (scene.nodes[second].name if second else names_of(scene, seconds)),
        (scene.nodes[first].name if first else names_of(scene, firsts)),
    )
    where = f"{named[1]} and {named[0]} · {len(members)} parts each · " + (
        "at the same place" if apart < 1e-6 else f"{apart:.3g} m apart"
    )
    off = (
        "They flicker through each other."
        if apart < 1e-6
        else f"{named[0]} stands {_ways(way)} from {named[1]}, which came first in the file."
    )
    consequence = f"{off} Both are drawn, and cost twice."
    mends = tuple(
        Mend(f"Leave out {word}", _left_out(scene, ids, group))
        for word, ids, group in (("the second", seconds, second), ("the first", firsts, first))
    )
    evidence: Evidence = {
        "apart_m": apart,
        "parts": len(members),
        "way_m": [float(v) for v in way],
        "vertices": sum(twin.second.vertices for twin in members),
    }
    return Finding(
        f"duplicate_set:{second or seconds[0]}",
        "duplicate_set",
        "The same parts twice",
        where,
        consequence,
        (*seconds, *firsts),
        62,
        evidence,
        mends,
    )


def _group_of(scene: Scene, parts: Sequence[str]) -> str | None:
    """The nearest group that holds these parts and no others, if there is one."""
    chains = [_above(scene, part) for part in parts]
    for id in chains[0]:
        if all(id in chain for chain in chains[1:]):
            held = {part.id for part in scene.parts() if part.id == id or id in _above(scene, part.id)}
            return id if held == set(parts) else None
    return None


def _above(scene: Scene, part: str) -> list[str]:
    chain: list[str] = []
    above = scene.nodes[part].parent
    while above is not None:
        chain.append(above)
        above = scene.nodes[above].parent
    return chain


def _left_out(scene: Scene, parts: Sequence[str], group: str | None) -> tuple[Decision, ...]:
    """The parts, then the groups that are empty without them, the innermost first."""
    gone = list(parts)
    if group is not None:
        inside = [
            (len(_above(scene, id)), id)
            for id in scene.nodes
            if (id == group or group in _above(scene, id))
            and id not in gone
            and scene.nodes[id].mesh is None
            and not scene.nodes[id].light
            and not scene.nodes[id].camera
        ]
        gone += [id for _, id in sorted(inside, reverse=True)]
    return tuple(Decision(id, "include", False) for id in gone)


def _ways(way: npt.NDArray[np.float64]) -> str:
    """``0.350 m towards +X, 2.10 m towards -Z``; small shares are left out."""
    most = float(np.abs(way).max())
    told = [
        f"{abs(v):.3g} m towards {'+' if v > 0 else '-'}{axis}"
        for axis, v in zip("XYZ", way, strict=True)
        if abs(v) > 0.01 * most
    ]
    return ", ".join(told)


def _part_twice(scene: Scene, twin: _Twin) -> Finding:
    id, other, apart = twin.second.part, twin.first.part, twin.apart
    far = "at the same place" if apart < 1e-6 else f"{apart * 1000:.1f} mm apart"
    off = (
        ". They flicker through each other."
        if apart < 1e-6
        else f". The second stands {_ways(twin.way * 1000).replace(' m ', ' mm ')} from the first; both are drawn."
    )
    consequence = f"Same {twin.second.vertices:,} vertices".replace(",", "\u202f") + off
    mends = (
        Mend("Leave out second", (Decision(id, "include", False),)),
        Mend("Leave out first", (Decision(other, "include", False),)),
    )
    return Finding(
        f"duplicate:{id}",
        "duplicate",
        "The same part twice",
        f"{scene.nodes[other].name}, {scene.nodes[id].name} · {far}",
        consequence,
        (id, other),
        60,
        {"apart_m": apart, "vertices": twin.second.vertices},
        mends,
    )
