"""A delivery under a budget: what smaller images and fewer triangles would save and lose, each measured on what
would be delivered, and the choice among them that loses least within the limits.
"""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from trasloco.decisions.kinds import in_force
from trasloco.errors import Refused
from trasloco.fit.memory import SMALLEST_SIDE, arrival_bytes
from trasloco.fit.model import PlannedImage
from trasloco.progress import Progress, part_of, saying, silent
from trasloco.proof.losing import Losing
from trasloco.proof.sharing_out import Choice, costs_of
from trasloco.proof.staging import exposure_of, views_for
from trasloco.render.picture import Quality
from trasloco.results.name import Name, named
from trasloco.results.route import Route
from trasloco.scene.geometry import triangle_count
from trasloco.scene.model import Decision, Mesh

RESOURCES = ("memory", "download", "triangles")
"""Bytes of images on arrival, bytes of the package, triangles over all parts."""
_HALVINGS, _FEWER = 4, 3
"""How often an image's sides, and a mesh's triangles, are halved."""
_FEW = 200
"""Meshes of fewer triangles stay as they are."""
_VIEWS = 2
# What is seen at once tells how much detail is missed; light that comes round by other surfaces does not.
_QUALITY = Quality(640, 360, 16, 1)
_MADE = ("trasloco.results.budget",)


@dataclass(frozen=True)
class Rung:
    """One choice of an item: what it takes by resource, and mean ΔE over the frame that it loses.

    ``words`` tells what it would be; ``decision`` makes it so, None for as it is.
    """

    words: str
    choice: Choice
    decision: Decision | None


@dataclass(frozen=True)
class Item:
    """What can be made smaller: the images of a material, or the mesh of a part. ``seen``: whether the views
    show any of it.
    """

    id: str
    name: str
    kind: str
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
    def now(self) -> tuple[float, ...]:
        """What is taken with nothing made smaller."""
        return self.taken([0] * len(self.items))


LIMITS = ("largest_side", "triangles")


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

    All images at one size, and all meshes at one, are delivered together; what each material and part loses is
    read off its own pixels.

    Raises:
        Refused: nothing that is delivered can be made smaller.
    """
    made: Measured = route.store.get_or_make(
        measured_name(route).key, lambda: _measured(unlimited(route), report)
    )
    return made


def _measured(route: Route, report: Progress) -> Measured:
    began = time.perf_counter()
    sizes, counts = _sizes(route), _counts(route)
    nothing = Refused(
        "Nothing that is delivered can be made smaller.",
        route.destination.name,
        "It has no images that come in sizes, and no part of many triangles.",
    )
    if not sizes and not counts:
        raise nothing
    steps = [("images", k) for k in range(1, _HALVINGS + 1)] + [("mesh", k) for k in range(1, _FEWER + 1)]
    first_of_all = saying(part_of(report, 0, 1 / (len(steps) + 1)), "drawing what arrives without limits")
    losing, trial = losing_of(route, first_of_all), route.only_tried()
    rungs: dict[str, list[Rung]] = {}
    seen: dict[str, bool] = {}
    whole = weights_of(route)
    for id in sizes:
        rungs[id] = [Rung(f"{sizes[id]} a side", Choice(whole.images[id], 0.0), None)]
    for id, count in counts.items():
        rungs[id] = [Rung(f"{count} triangles", Choice(whole.meshes[id], 0.0), None)]
    for number, (kind, halved) in enumerate(steps):
        wanted = (
            {
                id: Decision(id, "largest_side", side >> halved)
                for id, side in sizes.items()
                if side >> halved >= SMALLEST_SIDE
            }
            if kind == "images"
            else {id: Decision(id, "triangles", max(count >> halved, 12)) for id, count in counts.items()}
        )
        if not wanted:
            continue
        at = part_of(report, (number + 1) / (len(steps) + 1), (number + 2) / (len(steps) + 1))
        at(0.0, f"all {'images' if kind == 'images' else 'meshes'} at 1/{2**halved}")
        there = trial.otherwise([*route.decisions, *wanted.values()])
        weights = weights_of(there, whole if kind == "mesh" else None)
        measuring = saying(part_of(at, 0.4, 1), "measuring what it loses")
        lost = losing.on(losing.by_pixel(there.arrival(), measuring), kind)
        for id, decision in wanted.items():
            costs = (weights.images if kind == "images" else weights.meshes)[id]
            loss, shown = lost.get(id, (0.0, False))
            seen[id] = seen.get(id, False) or shown
            before = rungs[id][-1].choice
            if all(a >= b for a, b in zip(costs, before.costs, strict=True)):
                continue
            words = (
                f"{decision.value} a side"
                if kind == "images"
                else f"{int(costs[2] / max(whole.worn[id], 1))} triangles"
            )
            # What is smaller yet cannot lose less: what seems so is noise.
            rungs[id].append(Rung(words, Choice(costs, max(loss, before.loss)), decision))
    scene = route.reference()
    items = tuple(
        Item(
            id,
            scene.materials[id].name if id in sizes else scene.nodes[id].name,
            "images" if id in sizes else "mesh",
            tuple(held),
            seen.get(id, False),
        )
        for id, held in rungs.items()
        if len(held) > 1
    )
    if not items:
        raise nothing
    first = np.sum([item.rungs[0].choice.costs for item in items], axis=0)
    fixed = tuple(float(a - b) for a, b in zip(whole.whole, first, strict=True))
    return Measured(items, fixed, tuple(v.name for v in losing.views), time.perf_counter() - began)


def _sizes(route: Route) -> dict[str, int]:
    """Materials with images, and the power of two that their longest side is, or just below it."""
    longest: dict[str, int] = {}
    for image in route.plan().images:
        longest[image.material] = max(longest.get(image.material, 0), image.width, image.height)
    return {
        id: side if side & (side - 1) == 0 else 1 << (side.bit_length() - 1)
        for id, side in longest.items()
        if side >= 2 * SMALLEST_SIDE
    }


def _counts(route: Route) -> dict[str, int]:
    """Parts whose triangles can be fewer, the first of those that share them, and how many are delivered."""
    finer = {d.target for d in in_force(route.decisions) if d.field == "subdivide" and d.value}
    after = {m.mesh: m.after for m in route.plan().meshes}
    found: dict[str, int] = {}
    worn: set[str] = set()
    scene = route.reference()
    for part in scene.parts():
        shape = part.mesh or ""
        count = after.get(shape) or sum(len(p.indices) for p in scene.meshes[shape].primitives)
        if shape not in worn and count >= _FEW and part.id not in finer:
            found[part.id] = count
        worn.add(shape)
    return found


@dataclass(frozen=True)
class Weights:
    """What is taken by resource: in all, by the images of each material, by the mesh of each part (the first
    that wears it). ``worn``: by how many parts.
    """

    whole: tuple[float, ...]
    images: Mapping[str, tuple[float, ...]]
    meshes: Mapping[str, tuple[float, ...]]
    bytes_of: Mapping[str, float]
    worn: Mapping[str, int]


def weights_of(route: Route, before: Weights | None = None) -> Weights:
    """Of what would be delivered. What meshes save of the package beside ``before`` is shared by their arrays."""
    package, landed, scene = route.package(), route.landed(), route.reference()
    plan = landed.plan

    def written(image: PlannedImage) -> int:
        alone = package.files.get(image.path)
        return len(alone if alone is not None else landed.images[image.path].data)

    images: dict[str, tuple[float, ...]] = {}
    for image in plan.images:
        held = images.get(image.material, (0.0, 0.0, 0.0))
        images[image.material] = (held[0] + arrival_bytes(image), held[1] + written(image), 0.0)
    worn: dict[str, int] = {}
    first: dict[str, str] = {}
    for part in scene.parts():
        id = first.setdefault(part.mesh or "", part.id)
        worn[id] = worn.get(id, 0) + 1
    arrays = {
        id: float(_array_bytes(landed.scene.meshes[mesh]))
        for mesh, id in first.items()
        if mesh in landed.scene.meshes
    }
    counts = {
        id: sum(len(p.indices) for p in landed.scene.meshes[mesh].primitives) * worn[id]
        for mesh, id in first.items()
        if mesh in landed.scene.meshes
    }
    memory = sum(arrival_bytes(image) for image in plan.images)
    total = float(package.size_bytes)
    share = 1.0
    if before is not None:
        smaller = sum(before.bytes_of.values()) - sum(arrays.values())
        share = (before.whole[1] - total) / smaller if smaller > 0 else 0.0
    download = (
        arrays
        if before is None
        else {id: before.bytes_of[id] - share * (before.bytes_of[id] - held) for id, held in arrays.items()}
    )
    return Weights(
        (float(memory), total, float(triangle_count(landed.scene))),
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
