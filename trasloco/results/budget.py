"""A delivery under a budget: what smaller images and fewer triangles would save and lose, each measured on what
would be delivered, and the choice among them that loses least within the limits.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.decisions.kinds import in_force
from trasloco.errors import Refused
from trasloco.fit.memory import SMALLEST_SIDE, arrival_bytes
from trasloco.fit.model import PlannedImage
from trasloco.progress import Progress, part_of, silent
from trasloco.proof.compare import apart
from trasloco.proof.figure import figure_of
from trasloco.proof.light_there import in_stand_in_light, is_lit
from trasloco.proof.proving import in_same_surroundings
from trasloco.proof.sharing_out import Choice, costs_of, curve, least, loss_of, shared_out
from trasloco.proof.staging import exposure_of, staged, views_for
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, auto_ev100, render
from trasloco.results.name import Name, named
from trasloco.results.route import Route
from trasloco.scene.geometry import triangle_count
from trasloco.scene.model import Decision, Mesh, Scene

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

    @property
    def now(self) -> tuple[float, ...]:
        """What is taken with nothing made smaller."""
        return taken_by(self, [0] * len(self.items))


@dataclass(frozen=True)
class Shared:
    """The choice within limits. ``picks``: a rung for each item. ``taken``: by resource. ``loss``: mean ΔE over
    the frame, as the single losses add up. ``fits``: whether the limits can be kept at all; else the least.
    """

    picks: tuple[int, ...]
    taken: tuple[float, ...]
    loss: float
    fits: bool


def _choices(items: Sequence[Item], keep: Sequence[str] = ()) -> list[list[Choice]]:
    return [[rung.choice for rung in (item.rungs[:1] if item.id in keep else item.rungs)] for item in items]


def taken_by(found: Measured, picks: Sequence[int]) -> tuple[float, ...]:
    """What a delivery takes in all, by resource, with a rung for each item."""
    taken = costs_of(_choices(found.items), picks) or (0.0,) * len(RESOURCES)
    return tuple(a + b for a, b in zip(found.fixed, taken, strict=True))


def lost_by(found: Measured, picks: Sequence[int]) -> float:
    """Mean ΔE over the frame that a rung for each item loses, as the single losses add up."""
    return loss_of(_choices(found.items), picks)


_LIMITS = ("largest_side", "triangles")


def unlimited(route: Route) -> Route:
    """The move without limits of the artist's own, as choices are measured: the destination's stay. Without
    lightmaps, which have a limit of their own, and are not baked for every choice.
    """
    return route.otherwise([d for d in route.decisions if d.field not in _LIMITS and d.target != "lightmaps"])


def own_limits(route: Route) -> list[Decision]:
    """The limits of one's own that are in force."""
    return [d for d in in_force(route.decisions) if d.field in _LIMITS and d.value]


class Losing:
    """What arrivals lose beside the one that is delivered as planned, in the views of a proof."""

    def __init__(self, route: Route, report: Progress = silent) -> None:
        reference = route.reference()
        self._lit: Callable[[Scene], Scene] = (
            (lambda scene: scene) if is_lit(reference) else in_stand_in_light
        )
        self._reference = self._lit(reference)
        self.views = views_for(reference, route.decisions)[:_VIEWS]
        self._wanted = [self._picture(route.arrival(), view) for view in self.views]
        ids = [render(self._flat(reference, view), view, replace(_QUALITY, samples=1)) for view in self.views]
        flat = self._flat(reference, self.views[0])
        self._ids = [one.ids for one in ids]
        self._names = (flat.material_ids, flat.part_ids)
        ev100 = exposure_of(route.decisions)
        self._ev100 = auto_ev100(self._wanted[0].radiance) if ev100 is None else ev100

    def _flat(self, scene: Scene, view: View) -> Any:
        there = in_same_surroundings(self._reference, self._lit(scene))
        return flatten(staged(there, view, self._reference))

    def _picture(self, arrival: Scene, view: View) -> Picture:
        return render(self._flat(arrival, view), view, _QUALITY)

    def by_pixel(self, arrival: Scene) -> list[tuple[npt.NDArray[Any], npt.NDArray[Any]]]:
        """(H, W) ΔE of each view, and what noise alone makes of it."""
        found = []
        for view, wanted in zip(self.views, self._wanted, strict=True):
            found.append(apart(wanted, self._picture(arrival, view), self._ev100))
        return found

    def on(
        self, maps: Sequence[tuple[npt.NDArray[Any], npt.NDArray[Any]]], kind: str
    ) -> Mapping[str, tuple[float, bool]]:
        """What each material's or part's pixels lose: mean ΔE over the frame, over the views alike, and whether
        any view shows it.
        """
        names = self._names[kind == "mesh"]
        lost: dict[str, tuple[float, bool]] = dict.fromkeys(names, (0.0, False))
        for (found, floor), ids in zip(maps, self._ids, strict=True):
            numbers = ids[..., int(kind == "mesh")]
            for number in np.unique(numbers[numbers >= 0]):
                there = numbers == number
                cover = float(there.mean())
                value = figure_of(found[there], floor[there]).value * cover / len(maps)
                lost[names[number]] = (lost[names[number]][0] + value, True)
        return lost


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
    report(0.0, "drawing what arrives without limits")
    losing = Losing(route)
    steps = [("images", k) for k in range(1, _HALVINGS + 1)] + [("mesh", k) for k in range(1, _FEWER + 1)]
    rungs: dict[str, list[Rung]] = {}
    seen: dict[str, bool] = {}
    whole = _weights(route)
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
        there = route.otherwise([*route.decisions, *wanted.values()])
        weights = _weights(there, whole if kind == "mesh" else None)
        at(0.4, "measuring what it loses")
        lost = losing.on(losing.by_pixel(there.arrival()), kind)
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
    first = costs_of(_choices(items), [0] * len(items))
    fixed = tuple(a - b for a, b in zip(whole.whole, first, strict=True))
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
    """Parts whose mesh can be reduced, the first that wears it, and its triangles as delivered."""
    finer = {d.target for d in in_force(route.decisions) if d.field == "subdivide" and d.value}
    after = {m.mesh: m.after for m in route.plan().meshes}
    found: dict[str, int] = {}
    worn: set[str] = set()
    scene = route.reference()
    for part in scene.parts():
        mesh = part.mesh or ""
        count = after.get(mesh) or sum(len(p.indices) for p in scene.meshes[mesh].primitives)
        if mesh not in worn and count >= _FEW and part.id not in finer:
            found[part.id] = count
        worn.add(mesh)
    return found


@dataclass(frozen=True)
class _Weights:
    """What is taken by resource: in all, by the images of each material, by the mesh of each part (the first
    that wears it). ``worn``: by how many parts.
    """

    whole: tuple[float, ...]
    images: Mapping[str, tuple[float, ...]]
    meshes: Mapping[str, tuple[float, ...]]
    bytes_of: Mapping[str, float]
    worn: Mapping[str, int]


def _weights(route: Route, before: _Weights | None = None) -> _Weights:
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
    return _Weights(
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


def share_out(found: Measured, limits: Sequence[float | None], keep: Sequence[str] = ()) -> Shared:
    """The choices that lose least within limits, by resource, None for any. ``keep``: items that stay.

    Where no choice keeps the limits: what comes nearest, each as small as it gets.
    """
    items = _choices(found.items, keep)
    room = [None if limit is None else limit - f for limit, f in zip(limits, found.fixed, strict=True)]
    picks = shared_out(items, room)
    fits = picks is not None
    if picks is None:
        floor = [
            None if limit is None else max(limit, least(items, n) * (1 + 1e-9))
            for n, limit in enumerate(room)
        ]
        picks = shared_out(items, floor) or tuple(len(item) - 1 for item in items)
    return Shared(picks, taken_by(found, picks), loss_of(items, picks), fits)


def curve_of(found: Measured, resource: int, keep: Sequence[str] = ()) -> list[tuple[float, float]]:
    """What a resource takes in all, and the least that is then lost, under no other limit."""
    points = curve(_choices(found.items, keep), resource)
    return [(float(taken + found.fixed[resource]), float(loss)) for taken, loss in points]


def chosen(found: Measured, picks: Sequence[int]) -> list[Decision]:
    """What makes the picked rungs so, beside no other limit."""
    picked = [item.rungs[k].decision for item, k in zip(found.items, picks, strict=True)]
    return [one for one in picked if one is not None]


def decisions_of(route: Route, wanted: Sequence[Decision]) -> list[Decision]:
    """What is to be decided so that ``wanted`` limits are the ones in force: others are lifted, and what holds
    already is not decided again.
    """
    held = {(d.target, d.field): d.value for d in own_limits(route)}
    named_so = {(d.target, d.field) for d in wanted}
    lifted = [Decision(target, field, None) for target, field in held if (target, field) not in named_so]
    return [*lifted, *(d for d in wanted if held.get((d.target, d.field)) != d.value)]


def standing(route: Route, found: Measured) -> tuple[int, ...] | None:
    """The rungs that limits in force amount to; None where one of them is no rung."""
    held = {d.target: d for d in own_limits(route)}
    picks = []
    for item in found.items:
        own = held.pop(item.id, None)
        rung = next((n for n, one in enumerate(item.rungs) if own and one.decision == own), None)
        if own is not None and rung is None:
            return None
        picks.append(rung or 0)
    return tuple(picks) if not held else None


@dataclass(frozen=True)
class Tried:
    """Choices delivered together: what they take, and lose beside what is planned, mean ΔE over the frame."""

    taken: tuple[float, ...]
    loss: float
    unsure: float


def tried_name(route: Route, decisions: Sequence[Decision]) -> Name:
    """Of limits beside no other."""
    return named(
        "budget tried", _MADE, measured_name(route), [(d.target, d.field, d.value) for d in decisions]
    )


def tried(route: Route, decisions: Sequence[Decision], report: Progress = silent) -> Tried:
    """What choices come to when they are delivered together."""

    def make() -> Tried:
        report(0.0, "drawing what arrives without limits")
        whole = unlimited(route)
        losing = Losing(whole)
        there = whole.otherwise([*whole.decisions, *decisions])
        report(0.4, "delivering what was chosen")
        weights = _weights(there)
        report(0.7, "measuring what it loses")
        maps = losing.by_pixel(there.arrival())
        figures = [figure_of(found, floor) for found, floor in maps]
        return Tried(
            weights.whole,
            sum(loss for loss, _ in losing.on(maps, "images").values()),
            float(np.mean([(one.high - one.low) / 2 for one in figures])),
        )

    made: Tried = route.store.get_or_make(tried_name(route, decisions).key, make)
    return made


def known_try(route: Route, decisions: Sequence[Decision]) -> Tried | None:
    """The same where it was measured."""
    key = tried_name(route, decisions).key
    return route.store.get(key) if route.store.has(key) else None
