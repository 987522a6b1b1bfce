"""Lamps that a picture asks for and a scene does not have: likely ones are rendered, with everything that
light does, moved until the picture is nearest, and proposed where that is clearly nearer.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from trasloco.outside.lamp_trial import Trial, alone
from trasloco.outside.light_match import Lamps, LightMatch, Mask, held_to, matched
from trasloco.outside.showing import CURVES
from trasloco.outside.unknown_colors import matched_coloring
from trasloco.progress import Progress, part_of, silent
from trasloco.render.picture import Floats, Picture, Quality, View
from trasloco.scene.lit import Light
from trasloco.scene.model import Doubles, Scene

MOST = 3
"""Lamps that are proposed at once at most."""
_BETTER = {"sun": 0.93, "point": 0.93, "spot": 0.87, "rectangle": 0.87}
_LEAST_GAIN, LEAST_SHARE = 0.15, 0.005
"""A lamp is proposed that leaves at most this share of the mean ΔE by its kind (what has more numbers explains
more by chance), takes away so much of it, and gives such a share of the light.
"""
_ANOTHER = 1.5
"""How many times as much as by the best curve may be left by one that is tried with a lamp, too."""


@dataclass(frozen=True)
class NewLamp:
    """A lamp that is not there.

    Attributes:
        matrix: (4, 4) from it to the world; it shines along its -Z. light: of one lux, candela or nit.
        before, after: what the picture and the scene lie apart in mean ΔE without and with it.
        halves: (2, H, W, 3) its light in the picture.
    """

    matrix: Doubles
    light: Light
    before: float
    after: float
    halves: Floats = field(repr=False)


def find_lamps(
    scene: Scene,
    view: View,
    quality: Quality,
    picture: Floats,
    made: Picture,
    lamps: Lamps,
    where: Mask,
    curve: str,
    colors: bool = False,
    anchor: str = "",
    progress: Progress = silent,
) -> tuple[tuple[NewLamp, ...], LightMatch]:
    """Look for lamps that are missing: those that are proposed, and the light of all, theirs last.

    Args:
        picture: (H, W, 3) display light. made: the scene as it was rendered in that size, with ``lamps`` its
            layers. where: (H, W) pixels that count.

    Raises:
        Refused: too little of the picture says anything.
    """
    match = matched(picture, lamps, where, curve, colors, anchor)
    anchor = anchor or held_to(match)
    as_it_is, found = match.before, list[NewLamp]()
    shown_by = [curve] if curve else _curves(picture, lamps, where)
    for turn in range(MOST):
        here = part_of(progress, turn / MOST, (turn + 1) / MOST)
        trials = [Trial(scene, view, quality, picture, made, lamps, where, one, colors) for one in shown_by]
        trial = _likeliest(trials, part_of(here, 0, 0.1))
        guess = trial.likeliest(part_of(here, 0.1, 0.95))
        if guess is None:
            break
        light, matrix = trial.lamp(guess)
        layer = alone(scene, light, matrix, view, quality)
        wider = lamps.with_one(f"new {turn + 1}", layer)
        light, layer = _colored(light, layer, matched_coloring(picture, wider, where, trial.curve, colors))
        wider = lamps.with_one(f"new {turn + 1}", layer)
        other = matched(picture, wider, where, curve, colors, anchor)
        if not _worth(light.kind, match, other):
            break
        found.append(NewLamp(matrix, light, match.after, other.after, layer))
        lamps, match, shown_by = wider, other, [other.shown.curve]
    return tuple(found), replace(match, before=as_it_is)


def _curves(picture: Floats, lamps: Lamps, where: Mask) -> list[str]:
    """Curves by which a picture may have been shown: a lamp that is missing is made up for by another one."""
    left = {one: matched(picture, lamps, where, one).after for one in CURVES}
    return [one for one in left if left[one] <= _ANOTHER * min(left.values())]


def _likeliest(trials: Sequence[Trial], report: Progress) -> Trial:
    """The trial in whose curve a simple lamp explains most."""
    if len(trials) == 1:
        return trials[0]
    left = []
    for number, one in enumerate(trials):
        report(number / len(trials), "looking for lamps that are missing")
        left.append(one.simply)
    return trials[int(np.argmin(left))]


def _colored(light: Light, layer: Floats, found: LightMatch) -> tuple[Light, Floats]:
    """A lamp and its layer in the colour that was found of the last lamp, of luminance one."""
    color = found.lamps[-1].color
    return replace(light, color=color), layer * np.array(color, np.float32)


def _worth(kind: str, before: LightMatch, after: LightMatch) -> bool:
    gain = before.after - after.after
    return (
        after.after <= _BETTER[kind] * before.after
        and gain >= _LEAST_GAIN
        and after.lamps[-1].share >= LEAST_SHARE
        and after.lamps[-1].gain > 0
    )
