"""Lamps that a picture may ask for, and the numbers by which each is moved about: where it is, where it looks,
how wide it shines, how large it is.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from trasloco.render.sampling import basis
from trasloco.scene.lit import Light
from trasloco.scene.model import Doubles
from trasloco.scene.transforms import compose, looking

Kind = Literal["sun", "point", "spot", "rectangle"]
KINDS: tuple[Kind, ...] = ("sun", "point", "spot", "rectangle")
"""The simplest first."""
NAMES = {"sun": "a sun", "point": "a point", "spot": "a spot", "rectangle": "a sheet of light"}
"""As they are called in a sentence."""
SIZE = 0.03
"""The size that a lamp is first tried with: its radius as a share of its distance."""
POINTLIKE, _LARGEST = 0.01, 0.4
"""The size below which a lamp has none, and the largest one."""
_NARROWEST, _WIDEST = 0.05, 1.5
"""Half angles that a spot may have."""
_SMALLEST_M, _WIDE = 0.01, 2.0
"""The least side of a rectangle, and the largest by how far off its aim is: what is wider surrounds."""


@dataclass(frozen=True)
class Guess:
    """A lamp of one lux, candela or nit.

    Attributes:
        at: (3,) its place, of a sun the direction that it shines from. aim: (3,) the place that a spot or a
            rectangle looks at.
        outer_rad, inner: a spot's half angle, and the share of it that the inner one is.
        size: its radius as a share of its distance, of a sun the tangent of half its angle.
        width_m, height_m, roll_rad: of a rectangle, and how far it is rolled about the way that it looks.
    """

    kind: Kind
    at: Doubles
    aim: Doubles = field(default_factory=lambda: np.zeros(3))
    outer_rad: float = 0.0
    inner: float = 0.0
    size: float = SIZE
    width_m: float = 0.0
    height_m: float = 0.0
    roll_rad: float = 0.0

    @property
    def way(self) -> tuple[Doubles, float]:
        """The direction (3,) that it looks, and how far off its aim is."""
        far = float(np.linalg.norm(self.aim - self.at))
        return (self.aim - self.at) / max(far, 1e-9), far

    @property
    def stands(self) -> Doubles:
        """(4, 4) from a spot or rectangle to the world."""
        rolled = compose(
            (0.0, 0.0, 0.0), (0.0, 0.0, math.sin(self.roll_rad / 2), math.cos(self.roll_rad / 2))
        )
        return np.asarray(looking(self.at.tolist(), self.aim.tolist()) @ rolled)


@dataclass(frozen=True)
class About:
    """Lamps about a start by numbers: ``place`` makes one of them, ``first`` (N,) are the start's, and each
    reaches so far. ``sharp`` of them, the first ones, tell even where a lamp is taken for one without a size.
    """

    place: Callable[[Doubles], Guess]
    first: Doubles
    reach: Doubles
    sharp: int


def about(start: Guess, reach: float) -> About:
    """``reach``: how far a place may lie from the start's, in metres, see :func:`reach_of`."""
    ways = {"sun": _suns, "point": _points, "spot": _spots, "rectangle": _rectangles}
    return ways[start.kind](start, reach)


def _sized(size: float) -> float:
    return float(np.clip(size, 0.0, _LARGEST))


def _suns(start: Guess, reach: float) -> About:
    across = np.array(basis(*start.at)).reshape(2, 3)

    def turned(x: Doubles) -> Guess:
        made = start.at + x[:2] @ across
        return replace(start, at=np.asarray(made / np.linalg.norm(made)), size=_sized(x[2]))

    return About(turned, np.array([0.0, 0.0, start.size]), np.ones(3), 2)


def _points(start: Guess, reach: float) -> About:
    return About(
        lambda x: replace(start, at=np.asarray(start.at + x[:3]), size=_sized(x[3])),
        np.array([0.0, 0.0, 0.0, start.size]),
        np.array([reach] * 3 + [1.0]),
        3,
    )


def _spots(start: Guess, reach: float) -> About:
    """By place, aim, the logarithm of how wide its pool of light is at the aim, the inner share, and size."""
    way, off = start.way
    across = np.array(basis(*way)).reshape(2, 3)

    def aimed(x: Doubles) -> Guess:
        made = replace(start, at=np.asarray(start.at + x[:3]), aim=start.aim + x[3:5] @ across)
        wide = math.tan(start.outer_rad) * off * math.exp(min(x[5], 4.0))
        outer = float(np.clip(math.atan2(wide, made.way[1]), _NARROWEST, _WIDEST))
        inner = float(np.clip(start.inner + x[6], 0.0, 0.98))
        return replace(made, outer_rad=outer, inner=inner, size=_sized(x[7]))

    return About(aimed, np.array([0.0] * 7 + [start.size]), np.array([reach] * 5 + [1.0, 1.0, 1.0]), 7)


def _rectangles(start: Guess, reach: float) -> About:
    """By place, aim, the logarithms of its sides, and its roll."""
    across = np.array(basis(*start.way[0])).reshape(2, 3)
    sides = np.array([start.width_m, start.height_m])

    def faced(x: Doubles) -> Guess:
        made = replace(start, at=np.asarray(start.at + x[:3]), aim=start.aim + x[3:5] @ across)
        most = max(_WIDE * made.way[1], _SMALLEST_M)
        wide, high = np.clip(sides * np.exp(np.clip(x[5:7], -10, 10)), _SMALLEST_M, most)
        return replace(made, width_m=float(wide), height_m=float(high), roll_rad=start.roll_rad + float(x[7]))

    return About(faced, np.zeros(8), np.array([reach] * 5 + [2.0, 2.0, 2.0]), 8)


def lamp_of(guess: Guess, middle: Doubles, reach: float) -> tuple[Light, Doubles]:
    """A lamp of one lux, candela or nit, and (4, 4) from it to the world; it shines along its -Z.

    Args:
        middle: (3,) of what it lights, which suns and points look at. reach: how far that reaches, in metres.
    """
    light = Light("light:new", "new", guess.kind, intensity=1.0)
    size = guess.size if guess.size > POINTLIKE else 0.0
    if guess.kind == "sun":
        stands = middle + guess.at * 2 * reach
        light = replace(light, angle_rad=2 * math.atan(size))
        return light, looking(stands.tolist(), (stands - guess.at).tolist())
    if guess.kind == "rectangle":
        return replace(light, width_m=guess.width_m, height_m=guess.height_m), guess.stands
    light = replace(light, radius_m=size * float(np.linalg.norm(guess.at - middle)))
    if guess.kind == "point":
        return light, looking(guess.at.tolist(), middle.tolist())
    light = replace(light, inner_cone_rad=guess.outer_rad * guess.inner, outer_cone_rad=guess.outer_rad)
    return light, guess.stands
