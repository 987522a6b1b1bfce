"""What the page of a delivery's budget shows."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from trasloco.decisions.kinds import on_the_wire
from trasloco.results import budget, budget_shared
from trasloco.results.route import Route
from trasloco.results.weights import RESOURCES


def budget_out(route: Route, limits: Sequence[float | None], keep: Sequence[str]) -> dict[str, Any]:
    """The choice within limits (bytes, bytes, triangles, seconds; None for any) where it was measured."""
    found = budget.known(route)
    key = budget.measured_name(route).key
    if found is None:
        return {"destination": route.destination.name, "key": key, "found": None}
    shared = budget_shared.share_out(found, limits, keep)
    chosen = budget_shared.chosen(found, shared.picks)
    tried = budget_shared.known_try(route, chosen) if chosen else None
    stands = budget_shared.standing(route, found)
    along = next((n for n, limit in enumerate(limits) if limit is not None), 0)
    return {
        "destination": route.destination.name,
        "key": key,
        "found": {
            "views": list(found.views),
            "seconds": found.seconds,
            "now": _resources(found.now),
            "least": _resources(found.least),
            "then": _resources(shared.taken),
            "loss": shared.loss,
            "fits": shared.fits,
            "along": RESOURCES[along],
            "curve": [
                {"taken": taken, "loss": loss} for taken, loss in budget_shared.curve_of(found, along, keep)
            ],
            "changes": [
                {
                    "id": item.id,
                    "name": item.name,
                    "kind": item.kind,
                    "seen": item.seen,
                    "before": item.rungs[0].words,
                    "after": item.rungs[k].words,
                    "saved": _saved(item, k),
                    "loss": item.rungs[k].choice.loss,
                }
                for item, k in sorted(
                    zip(found.items, shared.picks, strict=True), key=lambda one: -_change(*one)
                )
                if k
            ],
            "kept": [
                {"id": item.id, "name": item.name, "words": item.rungs[0].words}
                for item in found.items
                if item.id in keep
            ],
            "choices": sum(len(item.rungs) for item in found.items),
            "items": len(found.items),
            "stands": {
                **_resources(found.taken(stands)),
                "loss": budget_shared.lost_by(found, stands),
            }
            if stands is not None
            else None,
            "decisions": [on_the_wire(d) for d in budget_shared.decisions_of(route, chosen)],
            "tried": {
                "taken": _resources(tried.taken),
                "loss": tried.loss,
                "unsure": tried.unsure,
            }
            if tried is not None
            else None,
        },
    }


def _change(item: budget.Item, k: int) -> float:
    """How much of what it took an item gives up: what loses most comes first, then what saves most."""
    first, picked = item.rungs[0].choice, item.rungs[k].choice
    return picked.loss * 1e6 + sum(
        (a - b) / a for a, b in zip(first.costs, picked.costs, strict=True) if a > 0
    )


def _saved(item: budget.Item, k: int) -> dict[str, float]:
    """By resource; below zero where a file of another kind takes more of one to spare another."""
    first, picked = item.rungs[0].choice, item.rungs[k].choice
    each = zip(RESOURCES, first.costs, picked.costs, strict=True)
    return {name: float(a - b) for name, a, b in each}


def _resources(taken: Sequence[float]) -> dict[str, float]:
    return {name: float(max(v, 0.0)) for name, v in zip(RESOURCES, taken, strict=True)}
