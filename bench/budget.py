"""A delivery under a budget: the choice that is found beside the best of all, and what was reckoned of one
beside what it came to as a whole.
"""

from __future__ import annotations

import itertools
from contextlib import nullcontext

import numpy as np

from bench.report import Benchmark
from bench.size import SMALL, sized, teatrino
from tests.fits import small_budgets
from trasloco.formats.gltf_write import write_glb
from trasloco.proof.sharing_out import Choice, costs_of, loss_of, shared_out
from trasloco.results import budget_layouts
from trasloco.results.in_memory import route_of
from trasloco.results.weights import RESOURCES
from trasloco.sheets.library import sheet_named

CASES = sized(200, 5)
_SEEN = 1e-3
"""Less ΔE than this is none."""


def _items(rng: np.random.Generator, count: int, most: int) -> list[list[Choice]]:
    """Images that shrink to a quarter and meshes that shrink to half, losing more each time."""
    made = []
    for _ in range(count):
        size, loss, mesh = rng.lognormal(0, 1.5), rng.lognormal(-3, 1.5), rng.random() < 0.5
        made.append(
            [
                Choice(
                    (0.0 if mesh else size / 4**k, size / 3**k, 1e3 * size / 2**k if mesh else 0.0),
                    loss * k**1.3,
                )
                for k in range(int(rng.integers(2, most + 1)))
            ]
        )
    return made


def _best(items: list[list[Choice]], limits: list[float]) -> float:
    """The least loss of all choices that keep the limits."""
    return min(
        (
            loss_of(items, picks)
            for picks in itertools.product(*(range(len(item)) for item in items))
            if all(cost <= limit for cost, limit in zip(costs_of(items, picks), limits, strict=True))
        ),
        default=float("inf"),
    )


def _searched() -> Benchmark:
    rng = np.random.default_rng(17)
    found = best = 0.0
    for _ in range(CASES):
        items = _items(rng, 6, 4)
        limits = [cost * rng.uniform(0.2, 1) for cost in costs_of(items, [0] * 6)]
        picks = shared_out(items, limits)
        if picks is not None:
            found, best = found + loss_of(items, picks), best + _best(items, limits)
    return Benchmark(
        f"ΔE lost by the choice under three limits, {CASES} cases",
        found,
        "ΔE",
        "the best of all choices",
        best,
        1.05,
    )


def _reckoned() -> Benchmark:
    """What was reckoned of a choice, and what it came to when it was delivered."""
    if SMALL:
        from tests.core.test_budget import boards

        given = boards()
    else:
        given = teatrino()
    route = route_of({"given.glb": write_glb(given)}, sheet_named("plain"), sheet_named("lanterna"), [])
    with small_budgets() if SMALL else nullcontext():
        layouts = budget_layouts.measured(route)
        first = layouts[0].found
        draws = RESOURCES.index("draws")
        limits = [
            min(one.found.now[draws] for one in layouts) if n == draws else 0.3 * v
            for n, v in enumerate(first.now)
        ]
        within = budget_layouts.share_out(layouts, limits)
        whole = budget_layouts.tried(route, within)
    low, high = sorted(max(loss, _SEEN) for loss in (within.loss, whole.loss))
    return Benchmark(
        f"ΔE lost for {len(within.layout.found.items)} images and meshes in {len(layouts)} layouts, "
        "the larger of reckoned and come to",
        high,
        "ΔE",
        "the smaller",
        low,
        1.25,
    )


def run() -> list[Benchmark]:
    return [_searched(), _reckoned()]
