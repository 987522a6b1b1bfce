"""What is done about a kept proof while nothing else waits, step by step: it becomes better known, and where
a difference is seen, what is to blame for it and what is worth doing about it are found.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Literal

from trasloco.progress import Progress
from trasloco.proof.staging import limits_of
from trasloco.results.proving import (
    KNOWN_TO,
    asked_of,
    figures_of,
    most_samples,
    pictures_of,
    proof_key,
    prove,
)
from trasloco.results.route import Route

LONGEST_S = 60.0
"""Seconds a side that one step takes at most; what is not as well known by then stays as it is."""


@dataclass(frozen=True)
class Better:
    """Figures and pictures, in place of those that a proof has."""

    figures: dict[str, Any]
    pictures: dict[str, dict[str, bytes]]


def next_aim(figures: Mapping[str, Any]) -> float | None:
    """To how much ΔE a kept proof is to be known next: the widest that a page offers and that it is not known
    to yet; None where there is none, or where the last step did not get there.
    """
    known = figures.get("within")
    if not isinstance(known, int | float) or (figures.get("refined") or {}).get("over"):
        return None
    return next((aim for aim in KNOWN_TO if aim < known), None)


Step = Literal["draw on", "causes", "worth"]


def next_step(route: Route, figures: Mapping[str, Any]) -> Step | None:
    """What comes next: the first of what a page offers to know, causes, what is worth doing, then the rest."""
    aim = next_aim(figures)
    if aim == max(KNOWN_TO):
        return "draw on"
    if float(figures.get("judged", 0.0)) >= limits_of(route.decisions).not_seen:
        if not figures.get("causes"):
            return "causes"
        if not figures.get("worth"):
            return "worth"
    return "draw on" if aim is not None else None


def better_known(route: Route, figures: Mapping[str, Any], report: Progress) -> Better | None:
    """A kept proof one step better known; None where nothing is left to do, or where it is of other contents
    or other code. ``report`` may raise to stop: the pictures are kept as far as they are, and gone on from.
    """
    aim, settings = next_aim(figures), figures.get("settings", {})
    asked = asked_of(route, settings)
    if aim is None or figures.get("key") != proof_key(route, asked):
        return None
    most = max(asked.quality.samples, most_samples(aim))
    closer = replace(asked, quality=replace(asked.quality, samples=most, seconds=LONGEST_S), within=aim)
    proof = prove(route, closer, report, lambda view, side, data: None)
    made = figures_of(route, proof, asked, settings)
    before = {one["name"]: one["seconds"] for one in figures["views"]}
    views = [
        {**one, "seconds": [a + b for a, b in zip(one["seconds"], before[one["name"]], strict=True)]}
        for one in made["views"]
    ]
    reached = made["within"] <= aim
    return Better(
        {**figures, **made, "views": views, "refined": {"aim": aim, "over": not reached}}, pictures_of(proof)
    )
