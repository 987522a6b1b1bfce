"""A delivery under a budget: what smaller images, other kinds of image file and fewer triangles would save and
lose, each measured on what would be delivered, and the choice among them that loses least within the limits.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from trasloco.decisions.kinds import in_force
from trasloco.errors import Refused
from trasloco.fit.memory import arrival_bytes
from trasloco.fit.model import PlannedImage
from trasloco.progress import Progress, part_of, saying, silent
from trasloco.proof.losing import Losing
from trasloco.proof.sharing_out import Choice, costs_of
from trasloco.proof.staging import exposure_of, views_for
from trasloco.render.picture import Quality
from trasloco.results.budget_steps import ItemKind, Ladder, Rung, counts_of, sizes_of, steps_of
from trasloco.results.name import Name, named
from trasloco.results.route import Route
from trasloco.scene.geometry import triangle_count
from trasloco.scene.model import Mesh

RESOURCES = ("memory", "download", "triangles")
"""Bytes of images on arrival, bytes of the package, triangles over all parts."""
_VIEWS = 2
# What is seen at once tells how much detail is missed; light that comes round by other surfaces does not.
_QUALITY = Quality(640, 360, 16, 1)
_MADE = ("trasloco.results.budget", "trasloco.results.budget_steps")


@dataclass(frozen=True)
class Item:
    """What can be made smaller: the images of a material, or the mesh of a part. ``seen``: whether the views
    show any of it.
    """

    id: str
    name: str
    kind: ItemKind
    rungs: tuple[Rung, ...]
    seen: bool


@dataclass(frozen=True)
class Measured:
    """All choices of a delivery. ``fixed`` is what nothing here changes, by resource."""

    items: tuple[Item, ...]
    fixed: tuple[float, ...]
    views: tuple[str, ...]
    seconds: float

    def choices(self, keep: Sequence[str] = ()) -> list[list[Choice]]:
        """Of each item; of one to ``keep`` only as it is."""
        return [
            [rung.choice for rung in (item.rungs[:1] if item.id in keep else item.rungs)]
            for item in self.items
        ]

    def taken(self, picks: Sequence[int]) -> tuple[float, ...]:
        """What a delivery takes in all, by resource, with a rung for each item."""
        there = costs_of(self.choices(), picks) or (0.0,) * len(RESOURCES)
        return tuple(a + b for a, b in zip(self.fixed, there, strict=True))

    @property
    def least(self) -> tuple[float, ...]:
        """The least of each resource, each by itself."""
        costs = [np.array([rung.choice.costs for rung in item.rungs]).min(axis=0) for item in self.items]
        return tuple(float(v) for v in np.sum([self.fixed, *costs], axis=0))

    @property
    def now(self) -> tuple[float, ...]:
        """What is taken with nothing made smaller."""
        return self.taken([0] * len(self.items))


LIMITS = ("largest_side", "file_kind", "triangles")


def unlimited(route: Route) -> Route:
    """The move without limits of the artist's own, as choices are measured: the destination's stay. Without
    lightmaps, which have a limit of their own, and are not baked for every choice.
    """
    return route.otherwise([d for d in route.decisions if d.field not in LIMITS and d.target != "lightmaps"])


def losing_of(route: Route, report: Progress = silent) -> Losing:
    """What arrivals lose beside the one that is delivered as planned, in the first views that proofs are made
    from.
    """
    views = views_for(route.reference(), route.decisions)[:_VIEWS]
    return Losing(route.reference(), route.arrival(), views, _QUALITY, exposure_of(route.decisions), report)


def measured_name(route: Route) -> Name:
    """The choices of what is delivered, in the views that it is proved from."""
    return named(
        "budget",
        (*_MADE, "trasloco.proof.proving"),
        unlimited(route).landed_name,
        [d for d in in_force(route.decisions) if d.target == "proof"],
    )


def known(route: Route) -> Measured | None:
    """The choices where they were measured."""
    key = measured_name(route).key
    return route.store.get(key) if route.store.has(key) else None


def measured(route: Route, report: Progress = silent) -> Measured:
    """What every choice saves and loses.

    All images at one size, and all meshes at one, are delivered together; what each material and part loses
    is read off its own pixels.

    Raises:
        Refused: nothing that is delivered can be made smaller.
    """
    made: Measured = route.store.get_or_make(
        measured_name(route).key, lambda: _measured(unlimited(route), report)
    )
    return made


def _measured(route: Route, report: Progress) -> Measured:
    began = time.perf_counter()
    sizes, counts = sizes_of(route), counts_of(route)
    steps = steps_of(route, sizes, counts)
    if not steps:
        raise _nothing(route)
    parts = [part_of(report, n / (len(steps) + 1), (n + 1) / (len(steps) + 1)) for n in range(len(steps) + 1)]
    losing = losing_of(route, saying(parts[0], "drawing what arrives without limits"))
    whole, trial = weights_of(route), route.only_tried()
    whole_images = {id: Rung(f"{n} a side", Choice(whole.images[id], 0.0)) for id, n in sizes.items()}
    whole_meshes = {id: Rung(f"{n} triangles", Choice(whole.meshes[id], 0.0)) for id, n in counts.items()}
    ladders = {id: Ladder("images", rung) for id, rung in whole_images.items()}
    ladders |= {id: Ladder("mesh", rung) for id, rung in whole_meshes.items()}
    seen: set[str] = set()
    for step, at in zip(steps, parts[1:], strict=True):
        at(0.0, step.words)
        there = trial.otherwise([*route.decisions, *(d for one in step.wanted.values() for d in one)])
        weights = weights_of(there, whole if step.kind == "mesh" else None)
        measuring = saying(part_of(at, 0.4, 1), "measuring what it loses")
        lost = losing.on(losing.by_pixel(there.arrival(), measuring), step.kind)
        seen |= {id for id, one in lost.items() if one.seen}
        taken = weights.images if step.kind == "images" else weights.meshes
        for id, decisions in step.wanted.items():
            triangles = int(taken[id][2]) // weights.worn.get(id, 1)
            choice = Choice(taken[id], lost[id].loss if id in lost else 0.0)
            ladders[id].add(step, Rung(step.told(id, triangles), choice, decisions))
    scene = route.reference()
    names = {id: one.name for held in (scene.materials, scene.nodes) for id, one in held.items()}
    items = tuple(
        Item(id, names[id], one.kind, one.rungs, id in seen)
        for id, one in ladders.items()
        if len(one.rungs) > 1
    )
    if not items:
        raise _nothing(route)
    first = costs_of([[item.rungs[0].choice] for item in items], [0] * len(items))
    fixed = tuple(a - b for a, b in zip(whole.whole, first, strict=True))
    return Measured(items, fixed, tuple(v.name for v in losing.views), time.perf_counter() - began)


def _nothing(route: Route) -> Refused:
    return Refused(
        "Nothing that is delivered can be made smaller.",
        route.destination.name,
        "It has no images that come in sizes, and no part of many triangles.",
    )


@dataclass(frozen=True)
class Weights:
    """What is taken by resource: in all, by the images of each material, by the mesh of each part (the first
    that wears it). ``arrays``: bytes of a mesh as it is held; ``worn``: by how many parts.
    """

    whole: tuple[float, ...]
    images: Mapping[str, tuple[float, ...]]
    meshes: Mapping[str, tuple[float, ...]]
    arrays: Mapping[str, float]
    worn: Mapping[str, int]


def weights_of(route: Route, before: Weights | None = None) -> Weights:
    """Of what would be delivered. What meshes save of the package beside ``before`` is shared by their
    arrays.
    """
    package, landed, scene = route.package(), route.landed(), route.reference()
    plan = landed.plan

    def written(image: PlannedImage) -> int:
        alone = package.files.get(image.path)
        return len(alone if alone is not None else landed.images[image.path].data)

    images: dict[str, tuple[float, ...]] = {}
    for image in plan.images:
        held = images.get(image.material, (0.0, 0.0, 0.0))
        images[image.material] = (held[0] + arrival_bytes(image), held[1] + written(image), 0.0)
    first: dict[str, str] = {}
    worn: Counter[str] = Counter()
    for part in scene.parts():
        worn[first.setdefault(part.mesh or "", part.id)] += 1
    meshes = {id: landed.scene.meshes[mesh] for mesh, id in first.items() if mesh in landed.scene.meshes}
    arrays = {id: float(_array_bytes(mesh)) for id, mesh in meshes.items()}
    counts = {id: worn[id] * sum(len(p.indices) for p in mesh.primitives) for id, mesh in meshes.items()}
    total = float(package.size_bytes)
    download = arrays
    if before is not None:
        smaller = sum(before.arrays.values()) - sum(arrays.values())
        share = (before.whole[1] - total) / smaller if smaller > 0 else 0.0
        download = {id: before.arrays[id] - share * (before.arrays[id] - held) for id, held in arrays.items()}
    return Weights(
        (float(sum(map(arrival_bytes, plan.images))), total, float(triangle_count(landed.scene))),
        images,
        {id: (0.0, download[id], float(counts[id])) for id in arrays},
        arrays,
        worn,
    )


def _array_bytes(mesh: Mesh) -> int:
    """Bytes of a mesh's arrays as they are held."""
    return sum(
        array.nbytes
        for p in mesh.primitives
        for array in (p.positions, p.indices, p.normals, p.tangents, p.colors, *p.uvs)
        if array is not None
    )
