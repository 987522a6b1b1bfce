"""How a move is seen first: where the view stands when it is opened, and a still of it by the proof's own
renderer, shown until the live picture is there.
"""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass
from typing import Literal

import numpy as np

from trasloco.progress import Progress, part_of, silent
from trasloco.proof.light_there import in_some_light
from trasloco.proof.picturing import preview_png
from trasloco.proof.staging import exposure_of
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, away_from, render
from trasloco.results.lit import exposure, name_of
from trasloco.results.name import Name, named
from trasloco.results.route import Route
from trasloco.results.store import Store
from trasloco.results.subject import subject_of
from trasloco.scene.extent import union_box
from trasloco.scene.model import Scene
from trasloco.scene.transforms import looking

Side = Literal["received", "mended"]
YFOV_RAD = math.radians(35.0)
HEIGHT = 400
"""Pixels of a still from top to bottom."""
FILLED = (0.95, 0.84)
"""The share of the picture's width and height that the subject takes; the rest is for what lies at the edges."""
ASPECT = 0.9
"""Of a view that nobody has opened yet: in a window of 1280 x 800."""
_ROOM_FOR_STAFF = 0.14
_ASPECT_KEY = "aspect of an opened view"
_SAMPLES, _BOUNCES = 4, 2


@dataclass(frozen=True)
class Opening:
    """Where a view stands when it is opened, what it turns about, and half the diagonal of what it looks at, in
    metres.
    """

    view: View
    target: tuple[float, float, float]
    reach_m: float


def expected_aspect(store: Store) -> float:
    """How many times as wide as high the next view will be that is opened: as the last one."""
    told = store.get(_ASPECT_KEY)
    return ASPECT if told is None else float(told)


def expect_aspect(store: Store, aspect: float) -> None:
    """A view of this shape was opened."""
    if expected_aspect(store) != aspect:
        store.put(_ASPECT_KEY, aspect)


def _shown(route: Route, side: Side) -> Scene:
    """A side without what stays behind."""
    return route.reference() if side == "mended" else route.as_received()


def opening(route: Route, side: Side, aspect: float) -> Opening:
    """Where a view of a shape stands so that the subject fills it, with room for the staff beside it."""
    box = union_box(subject_of(route, _shown(route, side)))
    low, high = box if box is not None else (np.zeros(3), np.ones(3))
    high = high + np.array([_ROOM_FOR_STAFF * (high[1] - low[1]), 0.0, 0.0])
    middle = (low + high) / 2
    slope = math.tan(YFOV_RAD / 2)
    eye = middle + away_from(low, high, slope * aspect * FILLED[0], slope * FILLED[1])
    return Opening(
        View("opening", looking(list(eye), list(middle)), YFOV_RAD),
        (float(middle[0]), float(middle[1]), float(middle[2])),
        max(float(np.linalg.norm(high - low)) / 2, 1e-3),
    )


def still_name(route: Route, side: Side, aspect: float) -> Name:
    """What the still of a side is called."""
    return named(
        "still",
        ("trasloco.results.opening", "trasloco.render.picture"),
        route.reference_name if side == "mended" else name_of(route, side),
        route.reference_name,
        exposure_of(route.decisions),
        asdict(opening(route, side, aspect)),
        round(aspect, 3),
    )


def still(route: Route, side: Side, aspect: float, progress: Progress = silent) -> bytes:
    """What is seen from there, PNG, at the exposure of the live view; in stand-in light where there is none."""

    def make() -> bytes:
        flat = flatten(in_some_light(_shown(route, side)))
        progress(0.4, "drawing the still")
        quality = Quality(max(round(HEIGHT * aspect), 16), HEIGHT, _SAMPLES, _BOUNCES, preview=True)
        seen = render(flat, opening(route, side, aspect).view, quality, part_of(progress, 0.4, 1))
        return preview_png(seen, exposure(route))

    made: bytes = route.store.get_or_make(still_name(route, side, aspect).key, make)
    return made
