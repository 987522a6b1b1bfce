"""A lamp tried: rendered as it lights a small picture, and moved until that is nearest to what is shown."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise
from typing import Any

import numpy as np
from scipy import ndimage
from scipy.optimize import least_squares

from trasloco.light.mixing import darkened
from trasloco.outside.blocks import block_means
from trasloco.outside.lamp_guesses import KINDS, NAMES, POINTLIKE, Guess, about, lamp_of
from trasloco.outside.lamp_places import Candidate, Ground, candidates, ground_of, reach_of, simple_candidates
from trasloco.outside.light_match import Lamps, Mask
from trasloco.outside.registering import covered
from trasloco.outside.shrinking import shrunk
from trasloco.outside.spot_places import likely_spots
from trasloco.outside.unknown_colors import matched_coloring
from trasloco.progress import Progress, part_of
from trasloco.render.flatten import flatten
from trasloco.render.picture import Floats, Picture, Quality, View, render
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.lit import Light
from trasloco.scene.model import Doubles, Node, Scene

_PROMISING, _SIMPLER = 0.95, 0.9
"""What a candidate may leave at most for it to be rendered, and what a kind with more numbers may leave at most
of what a simpler one leaves.
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
"""A lamp of one lux, candela or nit, and (4, 4) from it to the world."""


@dataclass(frozen=True)
class Trial:
    """A smaller picture, and the light of all that is there, by which a lamp is tried as it is rendered."""

    scene: Scene
    view: View
    quality: Quality
    picture: Floats
    made: Picture
    lamps: Lamps
    where: Mask
    curve: str
    colors: bool

    @cached_property
    def small(self) -> tuple[Quality, Floats, Lamps, Mask]:
        """All of it in blocks of pixels."""
        side = max(round(self.quality.width / _TRIED.width), 1)
        return _in_blocks(side, _TRIED, self.picture, self.lamps, self.where, self.curve)

    @cached_property
    def ground(self) -> Ground:
        return ground_of(self.scene, self.view, self.picture, self.made, self.lamps, self.where, self.curve)

    @cached_property
    def simple(self) -> list[Candidate]:
        return simple_candidates(self.scene, self.ground)

    def lamp(self, guess: Guess) -> Standing:
        return lamp_of(guess, self.ground.places.mean(axis=0), reach_of("point", self.ground))

    @cached_property
    def without(self) -> float:
        """What is left without another lamp."""
        return self.cost(None)

    @property
    def simply(self) -> float:
        """What the best simple candidate leaves as it is rendered, or none does."""
        near = sorted(self.simple, key=lambda one: one.left)[:_TAKEN]
        return min(self.without, *(self.cost(self.lamp(one.guess)) for one in near))

    def likeliest(self, progress: Progress) -> Guess | None:
        """The lamp that is most likely missing; None where none brings the picture nearer."""
        ways = [one for one in candidates(self.simple, self.ground) if one.left <= _PROMISING]
        ways += self.spots(part_of(progress, 0.2, 0.4))
        ways = self.promising(ways)
        return self.closest(ways, part_of(progress, 0.4, 1.0)) if ways else None

    def promising(self, ways: Sequence[Candidate]) -> list[Candidate]:
        """Those that bring the picture nearer as they are rendered, the best two, the simplest first."""
        limit = _NEARER * self.without
        costs = [self.cost(self.lamp(one.guess)) for one in ways]
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
            halves = alone(self.scene, light, matrix, self.view, coarse)
            return np.asarray(halves.mean(axis=0), np.float32)

        ways = likely_spots(self.scene, ground, layer, _SPOTS, progress)
        return sorted(ways, key=lambda one: self.cost(self.lamp(one.guess)))[:1]

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
            lamps = lamps.with_one("new", alone(self.scene, *lamp, self.view, quality))
        new = 0 if lamp is None else 1
        made = matched_coloring(shown, lamps, where, self.curve, self.colors, new=new).picture
        apart = ndimage.gaussian_filter(linear_to_srgb(made) - linear_to_srgb(shown), (_SOFT_PX, _SOFT_PX, 0))
        return np.asarray(apart[where], np.float64).ravel()

    def closest(self, ways: Sequence[Candidate], progress: Progress) -> Guess:
        """A lamp moved about each start, the simplest first, until least is left: each kind a little, then the
        better one to the end, at last without a size where that leaves less.
        """
        steps = [_FIRST_STEPS] * len(ways) + [_STEPS, _STEPS]
        parts = np.cumsum([0, *steps]) / sum(steps)
        reports = [part_of(progress, *each) for each in pairwise(parts)]
        firsts = [
            self._moved(one.guess, _FIRST_STEPS, report) for one, report in zip(ways, reports, strict=False)
        ]
        best = firsts[0]
        for one in firsts[1:]:
            more = about(one.guess, 1).sharp > about(best.guess, 1).sharp + 1
            if one.left < best.left * (_SIMPLER if more else 1.0):
                best = one
        best = self._moved(best.guess, _STEPS, reports[-2])
        # A large lamp moves more smoothly, for its shadows are soft; but it has more grain than a small one.
        bare = replace(best.guess, size=0.0)
        if best.guess.size > POINTLIKE and self.cost(self.lamp(bare)) < best.left:
            best = self._moved(bare, _STEPS, reports[-1])
        return best.guess

    def _moved(self, start: Guess, steps: int, progress: Progress) -> Candidate:
        """A lamp where it leaves least about a start (least squares by Levenberg and Marquardt, robust); one
        without a size stays so.
        """
        numbers = about(start, reach_of(start.kind, self.ground))
        count = numbers.sharp if start.size == 0 else len(numbers.first)
        reach, done = numbers.reach[:count], 0

        def placed(x: Doubles) -> Guess:
            return numbers.place(np.concatenate([(x - 1) * reach, numbers.first[count:]]))

        def off(x: Doubles) -> Doubles:
            nonlocal done
            done += 1
            progress(min(done / (steps * (count + 1)), 1.0), f"trying {NAMES[start.kind]}")
            return self.off(self.lamp(placed(x)))

        ask: Any = least_squares
        found = ask(
            off,
            1 + numbers.first[:count] / reach,
            loss="soft_l1",
            f_scale=_USUAL_OFF,
            diff_step=_DIFFERS,
            max_nfev=steps,
            xtol=1e-3,
            ftol=1e-3,
        )
        return Candidate(placed(found.x), float(found.cost))


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


def alone(scene: Scene, light: Light, matrix: Doubles, view: View, quality: Quality) -> Floats:
    """(2, H, W, 3) halves of a view in the light of a new lamp alone."""
    dark = darkened(scene)
    made = replace(
        dark,
        nodes={**dark.nodes, "part:new": Node("part:new", "new", None, matrix, light=light.id)},
        lights={**dark.lights, light.id: light},
    )
    picture = render(flatten(made), view, quality)
    return np.stack([picture.even, picture.odd])
