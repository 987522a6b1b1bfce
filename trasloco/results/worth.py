"""What is worth doing next: everything that would bring the arrival nearer and that one press does,
measured before it is done, in the worst view of a proof; and how right that was afterwards.
"""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from typing import Any

from trasloco.decisions.kinds import on_the_wire
from trasloco.progress import Progress, part_of, saying
from trasloco.proof.apart import Apart
from trasloco.proof.light_there import in_some_light
from trasloco.results.deeds import Deed, deeds_of, guesses_of
from trasloco.results.proving import worst_view
from trasloco.results.route import Route
from trasloco.results.weights import RESOURCES, Resource, whole_of
from trasloco.scene.model import Decision

_MIB = 2**20


def _with(route: Route, deeds: Sequence[Deed]) -> Route:
    return route.otherwise([*route.decisions, *(d for deed in deeds for d in deed.decisions)])


def _taken(route: Route) -> dict[Resource, float]:
    return dict(zip(RESOURCES, whole_of(route), strict=True))


def worth_doing(route: Route, figures: Mapping[str, Any], report: Progress) -> dict[str, Any]:
    """Each deed with what it brings, mean ΔE over the worst view of a proof, measured on the bytes that
    would be delivered; all that cost nothing together.
    """
    began = time.perf_counter()
    view, quality, ev100 = worst_view(route, figures)
    deeds = deeds_of(route, part_of(report, 0, 0.5))

    def apart_of(there: Route, progress: Progress) -> Apart:
        meant = there.reference()
        return Apart(in_some_light(meant, meant), view, quality, ev100, progress)

    def measured(there: Route, apart: Apart, progress: Progress) -> tuple[float, float]:
        return apart.of(in_some_light(there.arrival(progress), there.reference()), progress)

    apart = apart_of(route, part_of(report, 0.5, 0.53))
    whole, noise = measured(route, apart, part_of(report, 0.53, 0.56))
    before = _taken(route)
    told: list[dict[str, Any]] = []
    for number, deed in enumerate(deeds):
        at, end = (0.56 + 0.3 * k / len(deeds) for k in (number, number + 1))
        told_of = saying(part_of(report, at, end), f"{deed.where}: {deed.words.lower()}")
        told_of(0.0, "")
        # What is baked only to be measured does not push out bakes that undo may come back to.
        there = _with(route.only_tried() if route.wish.wanted else route, [deed])
        meant = apart_of(there, part_of(told_of, 0.0, 0.4)) if deed.mends else apart
        after, floor = measured(there, meant, part_of(told_of, 0.4 if deed.mends else 0.0, 1.0))
        significant = abs(whole - after) > 2 * max(noise, floor)
        if deed.mends and not significant:
            continue
        taken = _taken(there)
        more = {name: taken[name] - before[name] for name in RESOURCES}
        told.append(
            {
                "id": deed.id,
                "where": deed.where,
                "words": deed.words,
                "gain": whole - after,
                "noise": max(noise, floor),
                "significant": significant,
                "mib": more["memory"] / _MIB,
                "download_mib": more["download"] / _MIB,
                "seconds": taken["bake"],
                "triangles": int(more["triangles"]),
                "free": deed.free and (not deed.mends or (more["memory"] <= 0 and more["triangles"] <= 0)),
                "decisions": [on_the_wire(d) for d in deed.decisions],
            }
        )
    waiting = _guesses(route, apart, part_of(report, 0.86, 0.92))
    report(0.92, "all that cost nothing together")
    nothing = {str(one["id"]) for one in told if one["free"] and one["gain"] > 0}
    free = [deed for deed in deeds if deed.id in nothing]
    if len(free) > 1:
        there = _with(route, free)
        mended = apart_of(there, part_of(report, 0.92, 0.95)) if any(deed.mends for deed in free) else apart
        together = whole - measured(there, mended, part_of(report, 0.95, 1))[0]
    else:
        together = sum(float(one["gain"]) for one in told if one["id"] in nothing)
    return {
        "view": view.name,
        "mean": whole,
        "noise": noise,
        "deeds": sorted(told, key=lambda one: -float(one["gain"])),
        "all_free": [deed.id for deed in free],
        "free_gain": together,
        "mean_after_free": whole - together,
        "seconds": time.perf_counter() - began,
        "guesses": waiting,
        "taken": None,
    }


def _guesses(route: Route, apart: Apart, report: Progress) -> list[dict[str, Any]]:
    """How much each guess that waits would change what is meant, mean ΔE over the view, those that show in
    it, the most first.

    Whether it is right cannot be measured: what is meant and what arrives change alike.
    """
    guesses = guesses_of(route)
    told = []
    for number, deed in enumerate(guesses):
        at = part_of(report, number / len(guesses), (number + 1) / len(guesses))
        looking = saying(at, f"{deed.where}: {deed.words.lower()}")
        looking(0.0, "")
        meant = _with(route, [deed]).reference()
        change, noise = apart.of(in_some_light(meant, meant), looking)
        if change > 2 * noise:
            told.append({"where": deed.where, "words": deed.words, "change": change, "noise": noise})
    return sorted(told, key=lambda one: -one["change"])


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
