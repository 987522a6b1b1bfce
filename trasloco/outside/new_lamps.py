"""Lamps that a picture asks for and a scene does not have: likely ones are rendered, with everything that
light does, moved until the picture is nearest, and proposed where that is clearly nearer.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from scipy import ndimage
from scipy.optimize import least_squares

from trasloco.light.mixing import darkened
from trasloco.outside.blocks import block_means
from trasloco.outside.lamp_places import (
    KINDS,
    SIZE,
    Candidate,
    Ground,
    Guess,
    about,
    candidates,
    ground_of,
    reach_of,
)
from trasloco.outside.light_match import Lamps, LightMatch, Mask, matched
from trasloco.outside.registering import covered
from trasloco.outside.shrinking import shrunk
from trasloco.outside.spot_places import likely_spots
from trasloco.progress import Progress, part_of, silent
from trasloco.render.flatten import flatten
from trasloco.render.picture import Floats, Picture, Quality, View, render
from trasloco.scene.color import linear_to_srgb, luminance
from trasloco.scene.lit import Light
from trasloco.scene.model import Doubles, Node, Scene
from trasloco.scene.transforms import looking

MOST = 3
"""Lamps that are proposed at once at most."""
_BETTER, _LEAST_GAIN, _LEAST_SHARE = {"sun": 0.93, "point": 0.93, "spot": 0.87}, 0.15, 0.005
"""A lamp is proposed that leaves at most this share of the mean ΔE by its kind (what has more numbers explains
more by chance), takes away so much of it, and gives such a share of the light.
"""
_CHANNELS = ("new red", "new green", "new blue")
_POINTLIKE, _LARGEST, _PROMISING, _SIMPLER = 0.01, 0.4, 0.95, 0.9
"""The size below which a lamp has none, the largest one, what a candidate may leave at most for it to be
rendered, and what a kind with more numbers may leave at most of what a simpler one leaves.
"""
_TRIED, _FIRST_STEPS, _STEPS = Quality(200, 112, 12, 4), 3, 8
"""How a lamp is rendered to be tried, how many steps each kind is taken, and how many the better one then."""
_COARSE, _SPOTS = Quality(100, 56, 6, 2), 8
"""How a lamp is rendered to see where a spot may be, and how many spots are rendered then."""
_NEARER, _TAKEN = 0.98, 2
"""What a lamp may leave at most, as it is rendered first, to be moved, and of how many kinds one is."""
_SOFT_PX, _USUAL_OFF, _DIFFERS = 1.0, 0.02, 0.02
"""By how much codes are softened that are compared, from how far apart on they count less, and the difference
that slopes are taken over.
"""


Standing = tuple[Light, Doubles]
"""A lamp of one lux or candela, and (4, 4) from it to the world."""


@dataclass(frozen=True)
class NewLamp:
    """A lamp that is not there.

    Attributes:
        matrix: (4, 4) from it to the world; it shines along its -Z. light: of one lux or candela.
        before, after: what the picture and the scene lie apart in mean ΔE without and with it.
    """

    matrix: Doubles
    light: Light
    before: float
    after: float


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
    first = max(match.lamps, key=lambda one: one.share)
    # A lamp that is not there yet is nothing to hold the others to.
    anchor = anchor or (first.name if first.share > 0 and first.gain > 0 else "")
    as_it_is, found = match.before, list[NewLamp]()
    for turn in range(MOST):
        here = part_of(progress, turn / MOST, (turn + 1) / MOST)
        here(0.0, "looking for lamps that are missing")
        ground = ground_of(scene, view, picture, made, lamps, where, match.shown.curve)
        trial = Trial(scene, view, quality, picture, lamps, where, match.shown.curve, colors)
        ways = candidates(scene, ground)
        ways += trial.spots(part_of(here, 0.2, 0.4))
        ways = trial.promising([one for one in ways if one.left <= _PROMISING], ground)
        if not ways:
            break
        light, matrix = trial.closest(ways, ground, part_of(here, 0.4, 0.95))
        layer = _alone(scene, light, matrix, view, quality)
        light, layer = colored(
            light, layer, matched(picture, by_channel(lamps, layer), where, match.shown.curve, colors)
        )
        wider = Lamps(
            (*lamps.names, f"new {turn + 1}"), np.concatenate([lamps.halves, layer[:, None]], axis=1)
        )
        other = matched(picture, wider, where, match.shown.curve, colors, anchor)
        if not _worth(light.kind, match, other):
            break
        found.append(NewLamp(matrix, light, match.after, other.after))
        lamps, match = wider, other
    return tuple(found), replace(match, before=as_it_is)


@dataclass(frozen=True)
class Trial:
    """A smaller picture, and the light of all that is there, by which a lamp is tried as it is rendered."""

    scene: Scene
    view: View
    quality: Quality
    picture: Floats
    lamps: Lamps
    where: Mask
    curve: str
    colors: bool

    @cached_property
    def small(self) -> tuple[Quality, Floats, Lamps, Mask]:
        """All of it in blocks of pixels."""
        side = max(round(self.quality.width / _TRIED.width), 1)
        return _in_blocks(side, _TRIED, self.picture, self.lamps, self.where, self.curve)

    def promising(self, ways: Sequence[Candidate], ground: Ground) -> list[Candidate]:
        """Those that bring the picture nearer as they are rendered, the best two, the simplest first."""
        limit = _NEARER * self.cost(None) if ways else 0.0
        costs = [self.cost(_lamp(one.guess, SIZE, ground)) for one in ways]
        near = [k for k in np.argsort(costs) if costs[k] < limit]
        return [ways[k] for k in sorted(near[:_TAKEN], key=lambda k: KINDS.index(ways[k].guess.kind))]

    def spots(self, progress: Progress) -> list[Candidate]:
        """The likeliest spot by how it is rendered, where there is any."""
        quality, shown, lamps, where = self.small
        side = max(round(quality.width / _COARSE.width), 1)
        quality, shown, lamps, where = _in_blocks(side, quality, shown, lamps, where, self.curve)
        coarse = replace(_COARSE, width=quality.width, height=quality.height)
        guides = render(flatten(self.scene), self.view, coarse)
        ground = ground_of(self.scene, self.view, shown, guides, lamps, where, self.curve)

        def layer(light: Light, matrix: Doubles) -> Floats:
            halves = _alone(self.scene, light, matrix, self.view, coarse)
            return np.asarray(halves.mean(axis=0), np.float32)

        ways = likely_spots(self.scene, ground, layer, _SPOTS, progress)
        return sorted(ways, key=lambda one: self.cost(_lamp(one.guess, SIZE, ground)))[:1]

    def cost(self, lamp: Standing | None) -> float:
        """What a lamp leaves, or none, as :meth:`closest` counts it (SciPy's soft L1)."""
        off = self.off(lamp) / _USUAL_OFF
        return float((np.sqrt(1 + off**2) - 1).sum() * _USUAL_OFF**2)

    def off(self, lamp: Standing | None) -> Doubles:
        """How far codes lie apart with a lamp like this, of whatever colour and strength, or with none: of every
        place.
        """
        quality, shown, lamps, where = self.small
        if lamp is not None:
            lamps = by_channel(lamps, _alone(self.scene, *lamp, self.view, quality))
        made = matched(shown, lamps, where, self.curve, self.colors).picture
        apart = ndimage.gaussian_filter(linear_to_srgb(made) - linear_to_srgb(shown), (_SOFT_PX, _SOFT_PX, 0))
        return np.asarray(apart[where], np.float64).ravel()

    def closest(self, ways: Sequence[Candidate], ground: Ground, progress: Progress) -> Standing:
        """A lamp moved about each start, the simplest first, and made larger or smaller, until least is left:
        each kind a little, then the better one to the end (least squares by Levenberg and Marquardt, robust).
        """
        each = [len(about(one.guess, ground)[1]) + 1 for one in ways]
        done, most = 0, sum(each) * _FIRST_STEPS + max(each) * _STEPS

        def searched(one: Candidate, start: Doubles | None, steps: int) -> Any:
            place, first, reach = about(one.guess, ground)

            def off(x: Doubles) -> Doubles:
                nonlocal done
                done += 1
                progress(min(done / most, 1.0), f"trying a {one.guess.kind}")
                return self.off(_lamp(place((x - 1) * reach), _size((x - 1) * reach), ground))

            ask: Any = least_squares
            return ask(
                off,
                1 + first / reach if start is None else start,
                loss="soft_l1",
                f_scale=_USUAL_OFF,
                diff_step=_DIFFERS,
                max_nfev=steps,
                xtol=1e-3,
                ftol=1e-3,
            )

        firsts = [searched(one, None, _FIRST_STEPS) for one in ways]
        best = 0
        for k in range(1, len(ways)):
            if firsts[k].cost < firsts[best].cost * (_SIMPLER if ways[k].guess.kind == "spot" else 1.0):
                best = k
        one = ways[best]
        place, _, reach = about(one.guess, ground)
        x = (searched(one, firsts[best].x, _STEPS).x - 1) * reach
        return _lamp(place(x), _size(x) if _size(x) > _POINTLIKE else 0.0, ground)


def _in_blocks(
    side: int, like: Quality, picture: Floats, lamps: Lamps, where: Mask, curve: str
) -> tuple[Quality, Floats, Lamps, Mask]:
    """How a picture is rendered whose pixels are blocks of so many, and it, its lamps, and where it counts."""
    halves = block_means(lamps.halves, side).astype(np.float32)
    high, wide = halves.shape[-3:-1]
    whole = slice(0, high * side), slice(0, wide * side)
    shown, sound = shrunk(picture[whole], curve, wide, high)
    counted = covered(where[whole], wide, high) & sound
    return replace(like, width=wide, height=high), shown, Lamps(lamps.names, halves), counted


def _size(x: Doubles) -> float:
    return float(np.clip(x[-1], 0.0, _LARGEST))


def by_channel(lamps: Lamps, layer: Floats) -> Lamps:
    """Lamps and one more (2, H, W, 3) whose colour is not known: as three, of red, green and blue light
    alone.
    """
    each = layer[:, None] * np.eye(3, dtype=np.float32)[None, :, None, None]
    return Lamps((*lamps.names, *_CHANNELS), np.concatenate([lamps.halves, each], axis=1))


def colored(light: Light, layer: Floats, found: LightMatch) -> tuple[Light, Floats]:
    """A lamp and its layer in the colour that was found, of luminance one."""
    color = np.array([one.gain * one.color[k] for k, one in enumerate(found.lamps[-3:])], np.float32)
    bright = float(luminance(color))
    if bright <= 0:
        return light, layer
    r, g, b = (float(v / bright) for v in color)
    return replace(light, color=(r, g, b)), layer * np.array([r, g, b], np.float32)


def _worth(kind: str, before: LightMatch, after: LightMatch) -> bool:
    gain = before.after - after.after
    return (
        after.after <= _BETTER[kind] * before.after
        and gain >= _LEAST_GAIN
        and after.lamps[-1].share >= _LEAST_SHARE
        and after.lamps[-1].gain > 0
    )


def _lamp(guess: Guess, size: float, ground: Ground) -> Standing:
    """A lamp of one lux or candela, and where it stands; ``size`` is its radius as a share of its distance,
    of a sun the tangent of half its angle.
    """
    middle = ground.places.mean(axis=0)
    light = Light("light:new", "new", guess.kind, intensity=1.0)
    if guess.kind == "sun":
        stands = middle + guess.at * 2 * reach_of("point", ground)
        light = replace(light, angle_rad=2 * math.atan(size))
        return light, looking(stands.tolist(), (stands - guess.at).tolist())
    light = replace(light, radius_m=size * float(np.linalg.norm(guess.at - middle)))
    if guess.kind == "point":
        return light, looking(guess.at.tolist(), middle.tolist())
    light = replace(light, inner_cone_rad=guess.outer_rad * guess.inner, outer_cone_rad=guess.outer_rad)
    return light, looking(guess.at.tolist(), guess.aim.tolist())


def _alone(scene: Scene, light: Light, matrix: Doubles, view: View, quality: Quality) -> Floats:
    """(2, H, W, 3) halves of a view in the light of a new lamp alone."""
    dark = darkened(scene)
    made = replace(
        dark,
        nodes={**dark.nodes, "part:new": Node("part:new", "new", None, matrix, light=light.id)},
        lights={**dark.lights, light.id: light},
    )
    picture = render(flatten(made), view, quality)
    return np.stack([picture.even, picture.odd])
