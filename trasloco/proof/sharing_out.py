"""A budget shared out: of the choices of every item, those that lose least within limits."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import csr_array

_GAP, _SECONDS, _POINTS = 1e-3, 4.0, 40
_NONE = 2
"""What the solver says where no choice keeps the limits."""


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
        return () if all(limit is None or limit >= 0 for limit in limits) else None
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
    for gap, seconds in ((_GAP, _SECONDS), (0.02, 10 * _SECONDS)):
        found = milp(
            loss,
            integrality=np.ones(len(flat), np.int64),
            bounds=Bounds(0, 1),
            constraints=rules,
            options={"mip_rel_gap": gap, "time_limit": seconds},
        )
        if found.x is not None or found.status == _NONE:
            break
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


def nearest(items: Sequence[Sequence[Choice]], limits: Sequence[float | None]) -> tuple[int, ...]:
    """Of each item what takes least, as shares of the limits added up, for where no choice keeps them all."""
    asked = [(n, max(limit, 1e-9)) for n, limit in enumerate(limits) if limit is not None]
    return tuple(
        min(
            range(len(item)),
            key=lambda k: (sum(item[k].costs[n] / limit for n, limit in asked), item[k].loss),
        )
        for item in items
    )


def curve(items: Sequence[Sequence[Choice]], resource: int) -> npt.NDArray[np.float64]:
    """(N, 2) what is taken of a resource and the least that is lost with it, from the least that can be taken
    to what loses nothing that need be lost; rising in the first, falling in the second.

    By the lower convex hull of each item's choices, walked in the order of their slopes: no choice of the
    same costs loses less (Kellerer, Pferschy and Pisinger 2004, 11.2).
    """
    start = np.zeros(2)
    steps: list[tuple[float, float, float]] = []
    for item in items:
        hull = _hull([(choice.costs[resource], choice.loss) for choice in item])
        start += hull[0]
        for (cost, loss), (dearer, less) in itertools.pairwise(hull):
            steps.append(((loss - less) / (dearer - cost), dearer - cost, less - loss))
    steps.sort(key=lambda step: -step[0])
    points = start + np.concatenate(
        [np.zeros((1, 2)), np.cumsum([step[1:] for step in steps], axis=0).reshape(-1, 2)]
    )
    if len(points) <= _POINTS:
        return np.asarray(points)
    # As many points in each doubling of what is taken.
    wanted = np.geomspace(max(points[0, 0], 1e-9), max(points[-1, 0], 1e-9), _POINTS)
    return np.asarray(points[np.unique(np.clip(np.searchsorted(points[:, 0], wanted), 0, len(points) - 1))])


def _hull(points: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """The lower convex hull of (cost, loss), rising in cost and falling in loss."""
    best: list[tuple[float, float]] = []
    for cost, loss in sorted(points):
        if best and loss >= best[-1][1]:
            continue
        if best and cost == best[-1][0]:
            best.pop()
        while len(best) > 1 and (best[-2][1] - best[-1][1]) * (cost - best[-1][0]) <= (best[-1][1] - loss) * (
            best[-1][0] - best[-2][0]
        ):
            best.pop()
        best.append((cost, loss))
    return best
