"""A proof from the first view, as it is told on the command line."""

from __future__ import annotations

from trasloco import move as verbs
from trasloco.progress import Progress, silent
from trasloco.proof.proving import Proof
from trasloco.proof.staging import effects_of, exposure_of, limits_of
from trasloco.render.picture import Quality
from trasloco.results.route import Route

SMALL = Quality(320, 180, 24, 3)
"""What a batch measures each arrival with."""


def looked_at(route: Route, quality: Quality, progress: Progress = silent, within: float = 0.0) -> Proof:
    """The proof of a move, with the quality's samples or until it is known ``within`` so much ΔE; a light
    stands in where there is none.
    """
    made = route.decisions
    return verbs.prove(
        route.reference(),
        route.arrival(),
        quality=quality,
        ev100=exposure_of(made),
        limits=limits_of(made),
        progress=progress,
        effects=effects_of(made, route.destination),
        stand_in=True,
        within=within,
    )
