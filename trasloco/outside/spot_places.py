"""Where a spot may be that a picture asks for: points about the room are rendered as they light the scene, and
cones of many widths are put over each, aimed at what the lamps that are there do not explain.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable

import numpy as np

from trasloco.outside.blocks import block_means
from trasloco.outside.lamp_guesses import Guess
from trasloco.outside.lamp_places import Candidate, Ground, room_of
from trasloco.outside.light_match import BLOCK
from trasloco.progress import Progress
from trasloco.scene.light_units import cone_share
from trasloco.scene.lit import Light
from trasloco.scene.model import Doubles, Floats, Scene
from trasloco.scene.transforms import looking

_ROOM = (6, 4, 6)
"""Places across, up and along the room."""
_WIDTHS, _INNER = (0.1, 0.14, 0.2, 0.28, 0.4, 0.55, 0.75, 1.0), (0.3, 0.65, 0.95)
"""Half angles that are tried, and the shares of each that the inner one may be."""
_HELD = 2.0
"""What is left counts no more than so many times the usual."""

Layer = Callable[[Light, Doubles], Floats]
"""Renders what a lamp gives a picture: (H, W, 3)."""


def likely_spots(scene: Scene, ground: Ground, layer: Layer, most: int, report: Progress) -> list[Candidate]:
    """The likeliest, the best first, each from a place of its own.

    Args:
        ground: what is seen in blocks of the pictures that ``layer`` renders.
    """
    rows, columns = ground.blocks.middles // BLOCK
    left = ground.unexplained
    limit = _HELD * float(np.sqrt((left**2).mean()))
    left = np.clip(left, -limit, limit)
    # It looks at something that is brighter than the lamps make it.
    aims = ground.places[left.sum(axis=1) > 0]
    if not len(aims):
        return []
    made = []
    places = room_of(scene, _ROOM)
    for number, place in enumerate(places):
        report(number / len(places), "trying a spot")
        light = Light("light:new", "new", "point", intensity=1.0)
        given = block_means(layer(light, looking(place.tolist(), aims[0].tolist())), BLOCK)[rows, columns]
        made.append(_best(place, aims, ground, given * ground.blocks.weight, left))
    return sorted(made, key=lambda one: one.left)[:most]


def _best(place: Doubles, aims: Doubles, ground: Ground, given: Doubles, left: Doubles) -> Candidate:
    """The aim and cone that explain most of what is left (N, 3), by what a point gives (N, 3) there."""
    toward = ground.places - place
    toward = toward / np.maximum(np.linalg.norm(toward, axis=1, keepdims=True), 1e-9)
    ways = aims - place
    ways = ways / np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-9)
    cosines = ways @ toward.T
    best, guess = 0.0, Guess("spot", place, aims[0], _WIDTHS[-1], _INNER[0])
    for width, share in itertools.product(_WIDTHS, _INNER):
        cones = cone_share(cosines, width * share, width)
        shared = np.maximum(cones @ (given * left), 0) ** 2 / np.maximum(cones**2 @ given**2, 1e-30)
        explained = shared.sum(axis=1)
        at = int(explained.argmax())
        if explained[at] > best:
            best, guess = float(explained[at]), Guess("spot", place, aims[at], width, share)
    return Candidate(guess, 1 - best / max(float((left**2).sum()), 1e-12))
