"""The choice under a budget: what loses least within limits, where a delivery stands, what is decided so that
it is so, and what that comes to as a whole.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from trasloco.decisions.kinds import in_force
from trasloco.light.lightmaps.bake_wish import TARGET as LIGHT
from trasloco.progress import Progress, part_of, saying, silent
from trasloco.proof.sharing_out import curve, least, loss_of, nearest, shared_out
from trasloco.results.budget import LIMITS, Measured, losing_of, measured_name, unlimited
from trasloco.results.name import Name, named
from trasloco.results.route import Route
from trasloco.results.weights import whole_of
from trasloco.scene.model import Decision

_MADE = ("trasloco.results.budget", "trasloco.results.budget_steps", "trasloco.results.budget_shared")


@dataclass(frozen=True)
class Shared:
    """The choice within limits. ``picks``: a rung for each item. ``taken``: by resource. ``loss``: mean ΔE
    over the frame, as the single losses add up. ``fits``: whether the limits can be kept at all; else the
    least.
    """

    picks: tuple[int, ...]
    taken: tuple[float, ...]
    loss: float
    fits: bool


def lost_by(found: Measured, picks: Sequence[int]) -> float:
    """Mean ΔE over the frame that a rung for each item loses, as the single losses add up."""
    return loss_of(found.choices(), picks)


def own_limits(route: Route) -> list[Decision]:
    """The limits of one's own that are in force; of lightmaps where they are asked for."""
    light = route.wish.wanted
    held = (d for d in in_force(route.decisions) if d.field in LIMITS and d.value)
    return [d for d in held if light or d.target != LIGHT]


def share_out(found: Measured, limits: Sequence[float | None], keep: Sequence[str] = ()) -> Shared:
    """The choices that lose least within limits, by resource, None for any. ``keep``: items that stay.

    Where no choice keeps the limits: what comes nearest, each as small as it gets.
    """
    items = found.choices(keep)
    room = [None if limit is None else limit - f for limit, f in zip(limits, found.fixed, strict=True)]
    picks = shared_out(items, room)
    fits = picks is not None
    if picks is None:
        floor = [
            None if limit is None else max(limit, least(items, n) * (1 + 1e-9))
            for n, limit in enumerate(room)
        ]
        picks = shared_out(items, floor) or nearest(items, floor)
    return Shared(picks, found.taken(picks), loss_of(items, picks), fits)


def curve_of(found: Measured, resource: int, keep: Sequence[str] = ()) -> list[tuple[float, float]]:
    """What a resource takes in all, and the least that is then lost, under no other limit."""
    points = curve(found.choices(keep), resource)
    return [(float(taken + found.fixed[resource]), float(loss)) for taken, loss in points]


def chosen(found: Measured, picks: Sequence[int]) -> list[Decision]:
    """What makes the picked rungs so, beside no other limit."""
    picked = (item.rungs[k].decisions for item, k in zip(found.items, picks, strict=True))
    return [decision for one in picked for decision in one]


def decisions_of(route: Route, wanted: Sequence[Decision]) -> list[Decision]:
    """What is to be decided so that ``wanted`` limits are the ones in force: others are lifted, and what
    holds already is not decided again.
    """
    held = {(d.target, d.field): d.value for d in own_limits(route)}
    named_so = {(d.target, d.field) for d in wanted}
    lifted = [Decision(target, field, None) for target, field in held if (target, field) not in named_so]
    return [*lifted, *(d for d in wanted if held.get((d.target, d.field)) != d.value)]


def standing(route: Route, found: Measured) -> tuple[int, ...] | None:
    """The rungs that limits in force amount to; None where one of them is no rung."""
    held = {(own.target, own.field): own.value for own in own_limits(route)}
    picks = []
    for item in found.items:
        rungs = [{(d.target, d.field): d.value for d in rung.decisions} for rung in item.rungs]
        asked = {key: held.pop(key) for rung in rungs for key in rung if key in held}
        if asked not in rungs:
            return None
        picks.append(rungs.index(asked))
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
        whole = unlimited(route)
        losing = losing_of(whole, saying(part_of(report, 0, 0.4), "drawing what arrives without limits"))
        there = whole.only_tried().otherwise([*whole.decisions, *decisions])
        report(0.4, "delivering what was chosen")
        taken = whole_of(there)
        measuring = saying(part_of(report, 0.6, 1), "measuring what it loses")
        lost = losing.on(losing.by_pixel(there.arrival(), measuring), "material").values()
        return Tried(taken, sum(one.loss for one in lost), math.hypot(*(one.unsure for one in lost)))

    made: Tried = route.store.get_or_make(tried_name(route, decisions).key, make)
    return made


def known_try(route: Route, decisions: Sequence[Decision]) -> Tried | None:
    """The same where it was measured."""
    key = tried_name(route, decisions).key
    return route.store.get(key) if route.store.has(key) else None
