"""Walking about in a move with the collision shapes in force that were chosen for it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from trasloco.inventory.obstacles import Obstacles, obstacles_of, walked
from trasloco.results.name import named
from trasloco.results.route import Route


@dataclass(frozen=True)
class Step:
    """Where the eye comes to (metres), the name of the part that was in the way, and how many parts have no
    shape.
    """

    eye: list[float]
    stopped_by: str | None
    unsaid: int


def step(
    route: Route, eye: Sequence[float], heading: Sequence[float], far_m: float, everything: bool
) -> Step:
    """A step from where the eye (3,) is, along a level heading (x, z); no farther than what blocks allows.
    ``everything``: every part blocks as it is.
    """
    held: Obstacles = route.store.get_or_make(
        named("obstacles", ("trasloco.inventory.obstacles",), route.reference_name, everything).key,
        lambda: obstacles_of(route.reference(), everything),
        keep=False,
    )
    reached, part = walked(held, np.array(eye, np.float64), np.array(heading, np.float64), far_m)
    name = route.reference().nodes[part].name if part is not None else None
    return Step([float(v) for v in reached], name, held.unsaid)
