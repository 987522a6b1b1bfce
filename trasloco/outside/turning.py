"""How the surroundings lie in a picture: turned so that, with every lamp as strong as fits best, the scene is
most like it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from trasloco.light.mixing import SURROUNDINGS, darkened, names_of
from trasloco.outside.light_match import Lamps, Mask, matched
from trasloco.outside.registering import Floats, covered
from trasloco.outside.shrinking import shrunk
from trasloco.progress import Progress, silent
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, render
from trasloco.scene.model import Doubles, Scene

ALL_ROUND, ABOUT = 24, 7
"""How many turns are tried all round, and how many about the best of them."""
_FIRST = Quality(128, 72, 8, 2)
_CLOSER = ((15.0, Quality(200, 112, 20, 4)), (6.0, Quality(200, 112, 40, 4)))
"""How far about the best, in degrees, and by which pictures."""


def lamps_of(made: Picture) -> Lamps:
    """The layers of a picture that was rendered apart."""
    assert made.layers is not None
    return Lamps(names_of(made), made.layers)


def _turned(scene: Scene, turn_rad: float) -> Scene:
    """A scene whose surroundings lie otherwise."""
    assert scene.environment is not None
    return replace(scene, environment=replace(scene.environment, turn_rad=turn_rad))


def counts(ids: Sequence[str], made: Picture, reaches: Mask, leave_out: Sequence[str]) -> Mask:
    """Pixels (H, W) that show the scene, but for some materials, out of all by their numbers."""
    out = [number for number, id in enumerate(ids) if id in leave_out]
    return np.asarray((made.ids[..., 0] >= 0) & reaches & ~np.isin(made.ids[..., 0], out))


@dataclass(frozen=True)
class _Trial:
    """Everything but the surroundings as it was rendered, what it is held against, and how."""

    view: View
    quality: Quality
    picture: Floats
    lamps: Lamps
    where: Mask
    alone: Scene
    curve: str
    colors: bool

    def misfit(self, turn_rad: float) -> float:
        """What is left unexplained with the surroundings turned so."""
        made = render(flatten(_turned(self.alone, turn_rad)), self.view, self.quality)
        halves = self.lamps.halves.copy()
        halves[:, self.lamps.names.index(SURROUNDINGS)] = np.stack([made.even, made.odd])
        lamps = Lamps(self.lamps.names, halves)
        return matched(self.picture, lamps, self.where, self.curve, self.colors).misfit


def surroundings_turn(
    scene: Scene,
    view: View,
    picture: Floats,
    reaches: Mask,
    curve: str,
    colors: bool = False,
    leave_out: Sequence[str] = (),
    progress: Progress = silent,
) -> float:
    """The turn in radians under which a picture (H, W, 3), display light, is explained best where it reaches
    (H, W): all round coarsely, then by a parabola about the best, twice, with the same random numbers
    throughout.

    Raises:
        Refused: too little of the picture says anything.
    """
    assert scene.environment is not None
    start, steps, done = scene.environment.turn_rad, ALL_ROUND + len(_CLOSER) * ABOUT, 0

    def tried(trial: _Trial, ways: Doubles) -> Doubles:
        nonlocal done
        values = []
        for way in ways:
            values.append(trial.misfit(float(way)))
            done += 1
            progress(done / steps, "turning the surroundings")
        return np.array(values)

    def trial_of(quality: Quality) -> _Trial:
        return _trial(scene, view, picture, reaches, curve, colors, leave_out, quality)

    trial = trial_of(_FIRST)
    ways = start + np.arange(ALL_ROUND) * 2 * math.pi / ALL_ROUND
    best = float(ways[tried(trial, ways).argmin()])
    for reach_deg, quality in _CLOSER:
        trial = trial_of(quality)
        about = np.radians(np.linspace(-reach_deg, reach_deg, ABOUT))
        best += _lowest(about, tried(trial, best + about))
    return math.remainder(best, 2 * math.pi)


def _trial(
    scene: Scene,
    view: View,
    picture: Floats,
    reaches: Mask,
    curve: str,
    colors: bool,
    leave_out: Sequence[str],
    quality: Quality,
) -> _Trial:
    quality = replace(quality, height=max(round(quality.width * picture.shape[0] / picture.shape[1]), 16))
    flat = flatten(scene, "apart")
    made = render(flat, view, replace(quality, samples=3 * quality.samples))
    small, sound = shrunk(picture, curve, quality.width, quality.height)
    sound &= covered(reaches, quality.width, quality.height)
    where = counts(flat.material_ids, made, sound, leave_out)
    alone = replace(darkened(scene), environment=scene.environment)
    return _Trial(view, quality, small, lamps_of(made), where, alone, curve, colors)


def _lowest(ways: Doubles, values: Doubles) -> float:
    """Where a parabola through values (N,) at ways (N,) is lowest; where they bend down, the lowest of them."""
    bend, slope, _ = np.polyfit(ways, values**2, 2)
    if bend <= 0:
        return float(ways[int(values.argmin())])
    return float(np.clip(-slope / (2 * bend), ways[0], ways[-1]))
