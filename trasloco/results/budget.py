"""A delivery under a budget: what smaller images, other kinds of image file, fewer triangles and lightmaps in
less room would save and lose, each measured on what would be delivered.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trasloco.decisions.kinds import in_force
from trasloco.fit.together.units import units_of
from trasloco.light.lightmaps.bake_wish import TARGET as LIGHT
from trasloco.progress import Progress, part_of, saying, silent
from trasloco.proof.losing import Losing
from trasloco.proof.sharing_out import Choice, costs_of, least
from trasloco.proof.staging import exposure_of, views_for
from trasloco.render.picture import Quality, View
from trasloco.results.budget_steps import (
    ItemKind,
    Ladder,
    Rung,
    counts_of,
    sizes_of,
    steps_of,
    wearers_of,
)
from trasloco.results.name import Name, named
from trasloco.results.route import Route
from trasloco.results.weights import RESOURCES, Weights, weights_of, whole_of
from trasloco.scene.model import Decision

ROOMS, LEAST_MIB = (1 / 2, 1 / 4, 1 / 8), 0.01
"""The room that lightmaps are tried in, as shares of what they take, and the least, MiB."""
_NOTHING = (0.0,) * len(RESOURCES)
_VIEWS = 2
# What is seen at once tells how much detail is missed; light that comes round by other surfaces does not.
_QUALITY = Quality(640, 360, 16, 1)
_MADE = ("trasloco.results.budget", "trasloco.results.budget_steps", "trasloco.results.weights")


@dataclass(frozen=True)
class Item:
    """What can be made smaller: the images of a delivered material, the mesh of a part, or all lightmaps.
    ``seen``: whether the views show any of it. ``beside``: ids under which its images are had where materials
    are laid out the other way.
    """

    id: str
    name: str
    kind: ItemKind
    rungs: tuple[Rung, ...]
    seen: bool
    beside: tuple[str, ...] = ()

    def kept(self, keep: Sequence[str]) -> bool:
        """Whether it is to stay as it is, being one of some ids, or had under one."""
        return not {self.id, *self.beside}.isdisjoint(keep)


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
            [rung.choice for rung in (item.rungs[:1] if item.kept(keep) else item.rungs)]
            for item in self.items
        ]

    def taken(self, picks: Sequence[int]) -> tuple[float, ...]:
        """What a delivery takes in all, by resource, with a rung for each item."""
        there = costs_of(self.choices(), picks) or _NOTHING
        return tuple(a + b for a, b in zip(self.fixed, there, strict=True))

    @property
    def least(self) -> tuple[float, ...]:
        """The least of each resource, each by itself."""
        items = self.choices()
        return tuple(fixed + least(items, n) for n, fixed in enumerate(self.fixed))

    @property
    def now(self) -> tuple[float, ...]:
        """What is taken with nothing made smaller."""
        return self.taken([0] * len(self.items))


LIMITS = ("largest_side", "file_kind", "triangles", "lightmap_mib")


def unlimited(route: Route) -> Route:
    """The move without limits of the artist's own: the destination's stay."""
    return route.otherwise([d for d in route.decisions if d.field not in LIMITS])


def _unlit(route: Route) -> Route:
    """The move without lightmaps, which are not baked for every image and mesh."""
    return route.otherwise([d for d in route.decisions if d.target != "lightmaps"])


def _views(route: Route) -> list[View]:
    return views_for(route.reference(), route.decisions)[:_VIEWS]


def losing_of(route: Route, report: Progress = silent) -> Losing:
    """What arrivals lose beside the one that is delivered as planned, in the first views that proofs are made
    from.
    """
    return Losing(
        route.reference(), route.arrival(), _views(route), _QUALITY, exposure_of(route.decisions), report
    )


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
    """
    made: Measured = route.store.get_or_make(
        measured_name(route).key, lambda: _measured(unlimited(route), report)
    )
    return made


def _measured(route: Route, report: Progress) -> Measured:
    """``route`` is without limits."""
    began = time.perf_counter()
    plain, light = _unlit(route), route.wish.wanted
    alone = part_of(report, 0, 0.5 if light else 1)
    whole = weights_of(plain)
    ladders, seen = _of_items(plain, whole, alone)
    if light:
        ladders |= {LIGHT: _of_light(route, whole, part_of(report, 0.5, 1))}
        seen.add(LIGHT)
    scene = route.reference()
    names = {id: one.name for held in (scene.materials, scene.nodes) for id, one in held.items()}
    units = units_of(scene, route.destination)
    names |= {unit.material: unit.name for unit in units}
    beside = {unit.material: unit.worn for unit in units}
    beside |= {m: tuple(unit.material for unit in units if m in unit.worn) for m in scene.materials}
    items = tuple(
        Item(
            id,
            names.get(id, "Lightmaps"),
            one.kind,
            one.rungs,
            id in seen,
            beside.get(id, ()) if one.kind == "images" else (),
        )
        for id, one in ladders.items()
        if len(one.rungs) > 1
    )
    # Lightmaps come on top of the delivery without them; everything else is part of it.
    within = [item.rungs[0].choice.costs for item in items if item.id != LIGHT]
    fixed = tuple(float(v) for v in np.subtract(whole.whole, np.sum([*within, _NOTHING], axis=0)))
    return Measured(items, fixed, tuple(v.name for v in _views(route)), time.perf_counter() - began)


def _of_items(route: Route, whole: Weights, report: Progress) -> tuple[dict[str, Ladder], set[str]]:
    """The choices of images and meshes, and which of them a view shows."""
    sizes, counts, wearers = sizes_of(route), counts_of(route), wearers_of(route)
    steps = steps_of(route, sizes, counts, wearers)
    parts = [part_of(report, n / (len(steps) + 1), (n + 1) / (len(steps) + 1)) for n in range(len(steps) + 1)]
    whole_images = {id: Rung(f"{n} a side", Choice(whole.images[id], 0.0)) for id, n in sizes.items()}
    whole_meshes = {id: Rung(f"{n} triangles", Choice(whole.meshes[id], 0.0)) for id, n in counts.items()}
    ladders = {id: Ladder("images", rung) for id, rung in whole_images.items()}
    ladders |= {id: Ladder("mesh", rung) for id, rung in whole_meshes.items()}
    seen: set[str] = set()
    if not steps:
        return ladders, seen
    losing = losing_of(route, saying(parts[0], "drawing what arrives without limits"))
    trial = route.only_tried()
    for step, at in zip(steps, parts[1:], strict=True):
        at(0.0, step.words)
        there = trial.otherwise([*route.decisions, *(d for one in step.wanted.values() for d in one)])
        weights = weights_of(there, whole if step.kind == "mesh" else None)
        measuring = saying(part_of(at, 0.4, 1), "measuring what it loses")
        maps = losing.by_pixel(there.arrival(), measuring)
        owners = wearers.mesh if step.kind == "mesh" else wearers.images
        lost = losing.on(maps, "part" if owners else "material", owners)
        seen |= {id for id, one in lost.items() if one.seen}
        taken = weights.images if step.kind == "images" else weights.meshes
        for id, decisions in step.wanted.items():
            triangles = int(taken[id][2]) // weights.worn.get(id, 1)
            choice = Choice(taken[id], lost[id].loss if id in lost else 0.0)
            ladders[id].add(step.halved, Rung(step.told(id, triangles), choice, decisions), step.as_file)
    return ladders, seen


def _of_light(route: Route, plain: Weights, report: Progress) -> Ladder:
    """The choices of lightmaps, baked in ever less room. ``plain``: what is taken without them."""
    steps = len(ROOMS) + 1
    first = part_of(report, 0, 1 / steps)
    route.baked(saying(part_of(first, 0, 0.8), "baking lightmaps without limits"))
    losing = losing_of(route, saying(part_of(first, 0.8, 1), "drawing what arrives with them"))
    trial, mib = route.only_tried(), route.baked().laid.memory_mib

    def taken(there: Route) -> tuple[float, ...]:
        return tuple(a - b for a, b in zip(whole_of(there), plain.whole, strict=True))

    ladder = Ladder("lightmaps", Rung(f"{mib:.3g} MiB", Choice(taken(route), 0.0)))
    for halved, share in enumerate(ROOMS, 1):
        room = float(f"{mib * share:.3g}")
        if room < LEAST_MIB:
            break
        at = part_of(report, halved / steps, (halved + 1) / steps)
        limited = Decision(LIGHT, "lightmap_mib", room)
        there = trial.otherwise([*route.decisions, limited])
        there.baked(saying(part_of(at, 0, 0.8), f"baking lightmaps in {room:g} MiB"))
        maps = losing.by_pixel(there.arrival(), saying(part_of(at, 0.8, 1), "measuring what it loses"))
        loss = sum(one.loss for one in losing.on(maps, "material").values())
        ladder.add(halved, Rung(f"{room:g} MiB", Choice(taken(there), loss), (limited,)))
    return ladder
