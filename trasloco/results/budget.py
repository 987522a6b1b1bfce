"""A delivery under a budget: what smaller images and fewer triangles would save and lose, each measured on
what would be delivered, and the choice among them that loses least within the limits.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

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
    sizes, counts = _sizes(route), _counts(route)
    steps = [(kind, wanted) for kind, wanted in _steps(sizes, counts) if wanted]
    if not steps:
        raise _nothing(route)
    parts = [part_of(report, n / (len(steps) + 1), (n + 1) / (len(steps) + 1)) for n in range(len(steps) + 1)]
    losing = losing_of(route, saying(parts[0], "drawing what arrives without limits"))
    whole, trial = weights_of(route), route.only_tried()
    rungs = {
        **{id: [Rung(f"{n} a side", Choice(whole.images[id], 0.0), None)] for id, n in sizes.items()},
        **{id: [Rung(f"{n} triangles", Choice(whole.meshes[id], 0.0), None)] for id, n in counts.items()},
    }
    seen: set[str] = set()
    for (kind, wanted), at in zip(steps, parts[1:], strict=True):
        at(0.0, "images made smaller" if kind == "images" else "meshes made coarser")
        there = trial.otherwise([*route.decisions, *wanted])
        weights = weights_of(there, whole if kind == "mesh" else None)
        measuring = saying(part_of(at, 0.4, 1), "measuring what it loses")
        lost = losing.on(losing.by_pixel(there.arrival(), measuring), kind)
        seen |= {id for id, one in lost.items() if one.seen}
        for decision in wanted:
            loss = lost[decision.target].loss if decision.target in lost else 0.0
            _add(rungs[decision.target], kind, decision, weights, loss)
    scene = route.reference()
    names = {id: one.name for held in (scene.materials, scene.nodes) for id, one in held.items()}
    items = tuple(
        Item(id, names[id], "images" if id in sizes else "mesh", tuple(held), id in seen)
        for id, held in rungs.items()
        if len(held) > 1
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


def _steps(
    sizes: Mapping[str, int], counts: Mapping[str, int]
) -> Iterator[tuple[Literal["images", "mesh"], list[Decision]]]:
    """What is delivered together: the images of all materials halved so often, then all meshes."""
    for halved in range(1, _HALVINGS + 1):
        yield (
            "images",
            [
                Decision(id, "largest_side", side >> halved)
                for id, side in sizes.items()
                if side >> halved >= SMALLEST_SIDE
            ],
        )
    for halved in range(1, _FEWER + 1):
        yield "mesh", [Decision(id, "triangles", max(count >> halved, 12)) for id, count in counts.items()]


def _add(
    rungs: list[Rung], kind: Literal["images", "mesh"], decision: Decision, weights: Weights, loss: float
) -> None:
    """One more rung, where it takes less than the last. What is smaller yet cannot lose less: what seems so
    is noise.
    """
    costs = (weights.images if kind == "images" else weights.meshes)[decision.target]
    last = rungs[-1].choice
    if all(a >= b for a, b in zip(costs, last.costs, strict=True)):
        return
    words = (
        f"{decision.value} a side"
        if kind == "images"
        else f"{int(costs[2]) // weights.worn[decision.target]} triangles"
    )
    rungs.append(Rung(words, Choice(costs, max(loss, last.loss)), decision))


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
