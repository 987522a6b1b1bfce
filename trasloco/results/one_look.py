"""How near an arrival is, in one small picture: what a batch tells of each delivery."""

from __future__ import annotations

from trasloco import move as verbs
from trasloco.proof.figure import Figure
from trasloco.proof.staging import effects_of, exposure_of, limits_of
from trasloco.render.picture import Quality
from trasloco.results.route import Route

SMALL = Quality(320, 180, 24, 3)


def looked_at(route: Route) -> tuple[Figure, str]:
    """The subject's ΔE with its bounds, and the verdict, from the first view; a light stands in where there is none."""
    made = verbs.prove(
        route.reference(),
        route.arrival(),
        quality=SMALL,
        ev100=exposure_of(route.decisions),
        limits=limits_of(route.decisions),
        effects=effects_of(route.decisions, route.destination),
        stand_in=True,
    )
    return made.worst.comparison.subject, made.verdict
