"""A budget shared out: of the choices of every item, those that lose least within limits."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import csr_array

_GAP, _SECONDS, _POINTS = 1e-3, 4.0, 24


@dataclass(frozen=True)
class Choice:
    """What an item takes of each resource, as it would be, and what that loses."""

    costs: tuple[float, ...]
    loss: float


def costs_of(items: Sequence[Sequence[Choice]], picks: Sequence[int]) -> tuple[float, ...]:
    """What the picked choices take in all, by resource."""
    taken = [item[k].costs for item, k in zip(items, picks, strict=True)]
    return tuple(float(v) for v in np.sum(taken, axis=0)) if taken else ()


def loss_of(items: Sequence[Sequence[Choice]], picks: Sequence[int]) -> float:
    """What the picked choices lose in all."""
    return float(sum(item[k].loss for item, k in zip(items, picks, strict=True)))


def shared_out(items: Sequence[Sequence[Choice]], limits: Sequence[float | None]) -> tuple[int, ...] | None:
    """The choice of each item, by number, that together lose least and take no more than ``limits`` (None for
    any) of each resource; None where no choice does.

    The multiple-choice knapsack of several constraints (Kellerer, Pferschy and Pisinger 2004, chapters 9 and
    11), solved as an integer program to within a thousandth.
    """
    if not items:
        return ()
    owners = np.repeat(np.arange(len(items)), [len(item) for item in items])
    flat = [choice for item in items for choice in item]
    loss = np.array([choice.loss for choice in flat])
    one_each = csr_array((np.ones(len(flat)), (owners, np.arange(len(flat)))))
    rules = [LinearConstraint(one_each, 1, 1)]
    for number, limit in enumerate(limits):
        if limit is None:
            continue
        costs = np.array([choice.costs[number] for choice in flat])
        # In shares of what may be taken, so that bytes and triangles are numbers of one size.
        scale = max(abs(limit), float(costs.max(initial=0.0)), 1e-12)
        rules.append(LinearConstraint(costs[None] / scale, -np.inf, limit / scale))
    found = milp(
        loss,
        integrality=np.ones(len(flat), np.int64),
        bounds=Bounds(0, 1),
        constraints=rules,
        options={"mip_rel_gap": _GAP, "time_limit": _SECONDS},
    )
    if found.x is None:
        return None
    starts = np.concatenate([[0], np.cumsum([len(item) for item in items])])
    picks = [int(found.x[a:b].argmax()) for a, b in itertools.pairwise(starts)]
    return _given_back(items, picks, limits)


def _given_back(
    items: Sequence[Sequence[Choice]], picks: list[int], limits: Sequence[float | None]
) -> tuple[int, ...]:
    """Picks as near to the first choices as there is room for: what need not change stays."""
    taken = np.array(costs_of(items, picks))
    most = np.array([np.inf if limit is None else limit for limit in limits])
    for item in sorted(range(len(items)), key=lambda n: -items[n][picks[n]].loss):
        here = items[item][picks[item]]
        for nearer in range(picks[item]):
            there = items[item][nearer]
            would = taken - here.costs + there.costs
            if there.loss <= here.loss and (would <= most).all():
                picks[item], taken = nearer, would
                break
    return tuple(picks)


def least(items: Sequence[Sequence[Choice]], resource: int) -> float:
    """The least that can be taken of a resource."""
    return sum(min(choice.costs[resource] for choice in item) for item in items)


def curve(
    items: Sequence[Sequence[Choice]], resource: int, limits: Sequence[float | None]
) -> npt.NDArray[np.float64]:
    """(N, 2) what is taken of a resource and the least that is lost with it, under the other limits, from the
    least that can be taken to all; rising in the first, falling in the second.
    """
    most = sum(max(choice.costs[resource] for choice in item) for item in items)
    low = max(least(items, resource), 1e-9)
    points: dict[float, float] = {}
    for limit in np.geomspace(low, max(most, low), _POINTS):
        within = [limit * (1 + 1e-9) if n == resource else other for n, other in enumerate(limits)]
        picks = shared_out(items, within)
        if picks is not None:
            points[costs_of(items, picks)[resource]] = loss_of(items, picks)
    return np.array(sorted(points.items())).reshape(-1, 2)
