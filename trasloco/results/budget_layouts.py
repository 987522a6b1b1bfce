"""The ways in which the materials of a delivery can be laid out under a budget: as the destination has them, or
one drawn for each part; what that loses by itself, and which of them loses less within limits.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trasloco.errors import Refused
from trasloco.fit.together.between import drawn_so
from trasloco.progress import Progress, part_of, silent
from trasloco.results import budget, budget_shared
from trasloco.results.budget import Measured
from trasloco.results.budget_shared import Shared, Tried
from trasloco.results.route import Route
from trasloco.scene.geometry import draw_count
from trasloco.scene.model import Decision

TOGETHER = Decision("scene", "drawn_together", True)


@dataclass(frozen=True)
class Layout:
    """The choices of a delivery laid out one way. ``decisions`` make it so, none for the destination's own way;
    ``loss`` is mean ΔE over the frame that it loses by itself beside that.
    """

    found: Measured
    decisions: tuple[Decision, ...] = ()
    loss: float = 0.0


@dataclass(frozen=True)
class Within:
    """The choice within limits, laid out the way that loses less."""

    layout: Layout
    shared: Shared

    @property
    def loss(self) -> float:
        """Mean ΔE over the frame, as single losses add up."""
        return self.layout.loss + self.shared.loss

    @property
    def chosen(self) -> list[Decision]:
        """What makes it so, beside no other limit."""
        return [*self.layout.decisions, *budget_shared.chosen(self.layout.found, self.shared.picks)]


def own(route: Route) -> Route:
    """The move with materials as its destination has them."""
    return route.otherwise([d for d in route.decisions if d.field != TOGETHER.field])


def _drawn(route: Route) -> Route | None:
    """The move with one material drawn for each part; None where its destination has that or cannot take it."""
    if drawn_so(route.sheet) is None:
        return None
    return route.otherwise([*own(route).decisions, TOGETHER])


def measured(route: Route, report: Progress = silent) -> list[Layout]:
    """The choices of every way, the destination's own first; one for each part where that spares draw calls.

    Raises:
        Refused: nothing that is delivered can be made smaller.
    """
    plain, drawn = own(route), _drawn(route)
    report(0.0, "counting draw calls")
    scene = budget.unlimited(plain).carried().scene  # light that is written down is drawn by no more of them
    if drawn is None or draw_count(scene) <= len(scene.parts()):
        made = [Layout(budget.measured(plain, report))]
    else:
        first = Layout(budget.measured(plain, part_of(report, 0, 0.5)))
        alone = budget_shared.tried(plain, [TOGETHER], part_of(report, 0.5, 0.6))
        made = [first, Layout(budget.measured(drawn, part_of(report, 0.6, 1)), (TOGETHER,), alone.loss)]
    if len(made) == 1 and not made[0].found.items:
        raise Refused(
            "Nothing that is delivered can be made smaller.",
            route.destination.name,
            "It has no images that come in sizes, no part of many triangles, and none of several slots.",
        )
    return made


def known(route: Route) -> list[Layout]:
    """The choices of those ways that were measured."""
    plain, drawn = own(route), _drawn(route)
    found = budget.known(plain)
    if found is None:
        return []
    there = budget.known(drawn) if drawn is not None else None
    alone = budget_shared.known_try(plain, [TOGETHER])
    if there is None or alone is None:
        return [Layout(found)]
    return [Layout(found), Layout(there, (TOGETHER,), alone.loss)]


def share_out(layouts: Sequence[Layout], limits: Sequence[float | None], keep: Sequence[str] = ()) -> Within:
    """The choice that loses least within limits, by resource, None for any. ``keep``: items that stay, or
    ``scene`` for the destination's own layout.

    Where no choice keeps the limits, what comes nearest by the largest share that is over one.
    """

    def over(one: Within) -> float:
        each = zip(one.shared.taken, limits, strict=True)
        return max((taken / max(limit, 1e-9) for taken, limit in each if limit is not None), default=0.0)

    offered = _offered(layouts, keep)
    found = [Within(one, budget_shared.share_out(one.found, limits, keep)) for one in offered]
    fitting = [one for one in found if one.shared.fits]
    return min(fitting, key=lambda one: one.loss) if fitting else min(found, key=over)


def _offered(layouts: Sequence[Layout], keep: Sequence[str]) -> list[Layout]:
    return [one for one in layouts if not one.decisions or TOGETHER.target not in keep]


def least_of(layouts: Sequence[Layout]) -> tuple[float, ...]:
    """The least of each resource, each by itself."""
    return tuple(float(v) for v in np.min([one.found.least for one in layouts], axis=0))


def curve_of(layouts: Sequence[Layout], resource: int, keep: Sequence[str] = ()) -> list[tuple[float, float]]:
    """What a resource takes in all, and the least that is then lost whichever way it is laid out, under no
    other limit.
    """
    points = sorted(
        (taken, loss + one.loss)
        for one in _offered(layouts, keep)
        for taken, loss in budget_shared.curve_of(one.found, resource, keep)
    )
    found: list[tuple[float, float]] = []
    for taken, loss in points:
        if not found or loss < found[-1][1]:
            found.append((taken, loss))
    return found


def decisions_of(route: Route, within: Within) -> list[Decision]:
    """What is to be decided so that the choice is in force and no other limit is."""
    wanted, there = bool(within.layout.decisions), _is_drawn(route)
    layout = [] if wanted == there else [Decision(TOGETHER.target, TOGETHER.field, wanted or None)]
    chosen = budget_shared.chosen(within.layout.found, within.shared.picks)
    return [*layout, *budget_shared.decisions_of(route, chosen)]


def standing(route: Route, layouts: Sequence[Layout]) -> tuple[tuple[float, ...], float] | None:
    """What is taken by resource, and lost, with the limits in force; None where that was not measured."""
    for one in layouts:
        if bool(one.decisions) == _is_drawn(route):
            picks = budget_shared.standing(route, one.found)
            if picks is not None:
                return one.found.taken(picks), one.loss + budget_shared.lost_by(one.found, picks)
    return None


def _is_drawn(route: Route) -> bool:
    return route.destination != route.sheet


def tried(route: Route, within: Within, report: Progress = silent) -> Tried:
    """What the choice comes to when it is delivered as a whole."""
    return budget_shared.tried(own(route), within.chosen, report)


def known_try(route: Route, within: Within) -> Tried | None:
    """The same where it was measured."""
    return budget_shared.known_try(own(route), within.chosen) if within.chosen else None


def measured_key(route: Route) -> str:
    """What the choices are measured on: another one asks for them anew."""
    return budget.measured_name(own(route)).key
