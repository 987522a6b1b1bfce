"""What is worth doing next: everything that would bring the arrival nearer and that one press does,
measured before it is done, in the worst view of a proof; and how right that was afterwards.
"""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from trasloco.decisions.kinds import in_force, on_the_wire
from trasloco.fit.memory import arrival_bytes
from trasloco.fit.model import Plan
from trasloco.progress import Progress, part_of, saying
from trasloco.proof.apart import Apart
from trasloco.proof.light_there import in_some_light
from trasloco.results.fitting import nearest, not_taken
from trasloco.results.proving import worst_view
from trasloco.results.route import Route
from trasloco.scene.geometry import triangle_count
from trasloco.scene.model import Decision, Scene

_MIB = 2**20
_MANY = 6
"""Limits that are tried each by itself; more, as a budget sets them, are tried together."""


@dataclass(frozen=True)
class Deed:
    """Something that one press does.

    ``where``, ``words``: of what, and what is done. ``decisions``: what is decided. ``free``: whether it
    costs neither memory nor triangles.
    """

    id: str
    where: str
    words: str
    decisions: tuple[Decision, ...]
    free: bool = True


def deeds_of(route: Route, report: Progress) -> list[Deed]:
    """Nearest looks that were not taken, and limits of the artist's own that could be lifted."""
    scene, holding = route.reference(), in_force(route.decisions)
    found: list[Deed] = []
    lossy = not_taken(route, route.plan())
    for number, id in enumerate(lossy):
        name = scene.materials[id].name
        words = f"looking for the nearest look of {name}"
        at = part_of(report, number / len(lossy), (number + 1) / len(lossy))
        look = nearest(route, id, report=saying(at, words))
        if look is not None and look.value is not None:
            found.append(
                Deed(f"nearest:{id}", name, "Take its nearest look", (Decision(id, "fitted", look.value),))
            )
    limits: list[Deed] = []
    for d in holding:
        named = scene.materials.get(d.target) or scene.nodes.get(d.target)
        where = named.name if named is not None else "Everything"
        if d.field == "largest_side" and d.value:
            words = f"Give its images back what {d.value} texels a side took"
            limits.append(
                Deed(f"size:{d.target}", where, words, (Decision(d.target, d.field, None),), free=False)
            )
        elif d.field == "file_kind" and d.value:
            words = "Give its images files of the destination's own kind"
            limits.append(
                Deed(f"file:{d.target}", where, words, (Decision(d.target, d.field, None),), free=False)
            )
        elif d.field == "triangles" and d.value:
            words = f"Give it back the triangles above {d.value}"
            limits.append(
                Deed(f"triangles:{d.target}", where, words, (Decision(d.target, d.field, None),), free=False)
            )
    if len(limits) > _MANY:
        words = f"Lift all {len(limits)} limits of sizes, files and triangles"
        decisions = tuple(d for deed in limits for d in deed.decisions)
        limits = [Deed("limits", "Everything", words, decisions, free=False)]
    return found + limits


def _with(route: Route, deeds: Sequence[Deed]) -> Route:
    return route.otherwise([*route.decisions, *(d for deed in deeds for d in deed.decisions)])


def _bytes(plan: Plan) -> int:
    return sum(arrival_bytes(image) for image in plan.images)


def worth_doing(route: Route, figures: Mapping[str, Any], report: Progress) -> dict[str, Any]:
    """Each deed with what it brings, mean ΔE over the worst view of a proof, measured on the bytes that
    would be delivered; all that cost nothing together.
    """
    began = time.perf_counter()
    view, quality, ev100 = worst_view(route, figures)
    deeds = deeds_of(route, part_of(report, 0, 0.5))
    reference = route.reference()

    def lit(scene: Scene) -> Scene:
        return in_some_light(scene, reference)

    apart = Apart(lit(reference), view, quality, ev100, part_of(report, 0.5, 0.53))
    whole, noise = apart.of(lit(route.arrival()), part_of(report, 0.53, 0.56))
    before, triangles = _bytes(route.plan()), triangle_count(route.landed().scene)
    told: list[dict[str, Any]] = []
    for number, deed in enumerate(deeds):
        at, end = (0.56 + 0.34 * k / len(deeds) for k in (number, number + 1))
        told_of = saying(part_of(report, at, end), f"{deed.where}: {deed.words.lower()}")
        told_of(0.0, "")
        there = _with(route, [deed])
        after, floor = apart.of(lit(there.arrival(told_of)), told_of)
        told.append(
            {
                "id": deed.id,
                "where": deed.where,
                "words": deed.words,
                "gain": whole - after,
                "noise": max(noise, floor),
                "significant": abs(whole - after) > 2 * max(noise, floor),
                "mib": (_bytes(there.plan()) - before) / _MIB,
                "triangles": triangle_count(there.landed().scene) - triangles,
                "free": deed.free,
                "decisions": [on_the_wire(d) for d in deed.decisions],
            }
        )
    report(0.9, "all that cost nothing together")
    free = [deed for deed, one in zip(deeds, told, strict=True) if deed.free and one["gain"] > 0]
    together = (
        whole - apart.of(lit(_with(route, free).arrival(report)), part_of(report, 0.9, 1))[0]
        if len(free) > 1
        else sum(float(one["gain"]) for one in told if one["free"] and one["gain"] > 0)
    )
    return {
        "view": view.name,
        "mean": whole,
        "noise": noise,
        "deeds": sorted(told, key=lambda one: -float(one["gain"])),
        "all_free": [deed.id for deed in free],
        "free_gain": together,
        "mean_after_free": whole - together,
        "seconds": time.perf_counter() - began,
        "taken": None,
    }


def taken_of(worth: Mapping[str, Any], ids: Sequence[str]) -> tuple[list[Decision], dict[str, Any]]:
    """The decisions of some deeds, and what is written down of them: words, and what they are to bring
    together: as measured for one, and for all that cost nothing; else their sum.
    """
    chosen = [one for one in worth.get("deeds", ()) if one["id"] in ids]
    decisions = [Decision(d["target"], d["field"], d["value"]) for one in chosen for d in one["decisions"]]
    together = set(ids) == set(worth.get("all_free", ()))
    predicted = worth["free_gain"] if together else sum(float(one["gain"]) for one in chosen)
    words = "; ".join(f"{one['where']}: {one['words'].lower()}" for one in chosen)
    return decisions, {"ids": list(ids), "words": words, "predicted": float(predicted)}


def how_right(kept: Sequence[tuple[int, str, Mapping[str, Any]]]) -> list[dict[str, Any]]:
    """Predictions beside what a later proof of the same view measured, of exactly what was to be delivered
    then: where other things were decided as well, or it was taken back, nothing can be said.

    ``kept``: number, plan and figures of proofs, in their order.
    """
    made = []
    for at, (number, _, figures) in enumerate(kept):
        worth = figures.get("worth") or {}
        taken = worth.get("taken")
        if not taken:
            continue
        before = _mean_in(figures, worth["view"])
        after = next(
            (
                (other, mean)
                for other, plan, later in kept[at + 1 :]
                if plan == taken["plan"] and (mean := _mean_in(later, worth["view"])) is not None
            ),
            None,
        )
        if before is None or after is None:
            continue
        made.append(
            {
                "proof": number,
                "next": after[0],
                "words": taken["words"],
                "predicted": taken["predicted"],
                "measured": before - after[1],
            }
        )
    return made


def _mean_in(figures: Mapping[str, Any], view: str) -> float | None:
    return next((float(one["mean"]) for one in figures.get("views", ()) if one["name"] == view), None)
