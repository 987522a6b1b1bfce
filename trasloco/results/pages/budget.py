"""What the page of a delivery's budget shows."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from trasloco.decisions.kinds import on_the_wire
from trasloco.results import budget, budget_layouts
from trasloco.results.budget_layouts import TOGETHER, Layout, Within
from trasloco.results.route import Route
from trasloco.results.weights import RESOURCES

_AS_THEY_ARE = "one a slot"


def budget_out(route: Route, limits: Sequence[float | None], keep: Sequence[str]) -> dict[str, Any]:
    """The choice within limits, by resource, None for any, where it was measured."""
    layouts = budget_layouts.known(route)
    key = budget_layouts.measured_key(route)
    if not layouts:
        return {"destination": route.destination.name, "key": key, "found": None}
    within = budget_layouts.share_out(layouts, limits, keep)
    tried = budget_layouts.known_try(route, within)
    stands = budget_layouts.standing(route, layouts)
    along = next((n for n, limit in enumerate(limits) if limit is not None), 0)
    first = layouts[0].found
    return {
        "destination": route.destination.name,
        "key": key,
        "found": {
            "views": list(first.views),
            "seconds": sum(one.found.seconds for one in layouts),
            "now": _resources(first.now),
            "least": _resources(budget_layouts.least_of(layouts)),
            "then": _resources(within.shared.taken),
            "loss": within.loss,
            "fits": within.shared.fits,
            "along": RESOURCES[along],
            "curve": [
                {"taken": taken, "loss": loss}
                for taken, loss in budget_layouts.curve_of(layouts, along, keep)
            ],
            "changes": [*_of_layout(first, within.layout), *_of_items(within)],
            "kept": list(_kept(layouts, keep)),
            "choices": sum(len(item.rungs) for one in layouts for item in one.found.items),
            "items": sum(len(one.found.items) for one in layouts),
            "stands": {**_resources(stands[0]), "loss": stands[1]} if stands is not None else None,
            "decisions": [on_the_wire(d) for d in budget_layouts.decisions_of(route, within)],
            "tried": {
                "taken": _resources(tried.taken),
                "loss": tried.loss,
                "unsure": tried.unsure,
            }
            if tried is not None
            else None,
        },
    }


def _of_layout(first: budget.Measured, layout: Layout) -> Iterator[dict[str, Any]]:
    """Materials laid out otherwise, where that was chosen."""
    if layout.decisions:
        yield {
            "id": TOGETHER.target,
            "name": "Materials",
            "kind": "layout",
            "seen": True,
            "before": _AS_THEY_ARE,
            "after": "one drawn for each part",
            "saved": _saved(first.now, layout.found.now),
            "loss": layout.loss,
        }


def _of_items(within: Within) -> Iterator[dict[str, Any]]:
    """What is made smaller, what loses most first."""
    picked = zip(within.layout.found.items, within.shared.picks, strict=True)
    for item, k in sorted(picked, key=lambda one: -_change(*one)):
        if k:
            rung = item.rungs[k]
            yield {
                "id": item.id,
                "name": item.name,
                "kind": item.kind,
                "seen": item.seen,
                "before": item.rungs[0].words,
                "after": rung.words,
                "saved": _saved(item.rungs[0].choice.costs, rung.choice.costs),
                "loss": rung.choice.loss,
            }


def _kept(layouts: Sequence[Layout], keep: Sequence[str]) -> Iterator[dict[str, str]]:
    """What stays as it is, under the ids that it was kept by."""
    items = {item.id: item for one in reversed(layouts) for item in one.found.items}
    for id in dict.fromkeys(keep):
        if id == TOGETHER.target:
            yield {"id": id, "name": "Materials", "words": _AS_THEY_ARE}
        elif id in items:
            yield {"id": id, "name": items[id].name, "words": items[id].rungs[0].words}


def _change(item: budget.Item, k: int) -> float:
    """How much of what it took an item gives up: what loses most comes first, then what saves most."""
    first, picked = item.rungs[0].choice, item.rungs[k].choice
    return picked.loss * 1e6 + sum(
        (a - b) / a for a, b in zip(first.costs, picked.costs, strict=True) if a > 0
    )


def _saved(before: Sequence[float], after: Sequence[float]) -> dict[str, float]:
    """By resource; below zero where more of one is taken to spare another."""
    return {name: float(a - b) for name, a, b in zip(RESOURCES, before, after, strict=True)}


def _resources(taken: Sequence[float]) -> dict[str, float]:
    return {name: float(max(v, 0.0)) for name, v in zip(RESOURCES, taken, strict=True)}
