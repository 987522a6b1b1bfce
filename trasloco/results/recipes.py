"""A recipe: what was decided in one move, as far as another has the things that it is about."""

from __future__ import annotations

from collections.abc import Sequence

from trasloco.decisions.kinds import in_force
from trasloco.decisions.targets import check_targets
from trasloco.errors import Refused
from trasloco.results.route import Route
from trasloco.scene.model import Decision


def fitting(route: Route, recipe: Sequence[Decision]) -> list[Decision]:
    """Decisions of a recipe that can be taken in a move: about the scene as a whole, or about things of the
    same name. What is decided there already stays.
    """
    held = {(one.target, one.field) for one in in_force(route.decisions)}
    scenes = route.received().scene, route.settled()
    found: list[Decision] = []
    for one in in_force(recipe):
        if (one.target, one.field) in held:
            continue
        try:
            check_targets([one], *scenes, route.mended_with([*found, one]))
        except Refused:
            continue
        found.append(one)
    return found
