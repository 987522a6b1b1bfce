"""Where a lamp may be that a picture asks for: suns on the sphere, points and sheets of light about the room, by
what each gives the surfaces that are seen.

What a lamp gives a surface straight away is E rho / pi behind shadow rays; what it gives by way of others is
about as much everywhere. Its light joins the layers of the lamps that are there, and all of them are solved
for together (non-negative least squares); the candidate that leaves least is moved until it leaves less.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np
from scipy.optimize import minimize

from trasloco.outside.lamp_guesses import KINDS, Guess, Kind, about
from trasloco.outside.light_match import Blocks, Lamps, Mask, blocks_of
from trasloco.outside.nonnegative import explained, weights_of
from trasloco.rays.nearest import nearest
from trasloco.render.flatten import flatten
from trasloco.render.picture import Floats, Picture, View
from trasloco.render.seen import seen_by
from trasloco.scene.extent import bounds
from trasloco.scene.harmonics import spread_normals
from trasloco.scene.model import Doubles, Scene

_SUNS, _ROOM = 320, (9, 6, 9)
"""Directions on the sphere, and places across, up and along the room."""
_ABOUT = 1.5
"""The room reaches so many times as far as the scene."""
_FOLLOWED, _APART = 3, 0.35
"""Candidates of each kind that are moved until they leave least, and how far their starts lie apart as a
share of the scene's reach, or of a sphere's radius.
"""
_CLEAR_M, _NEAR_M, _STEP, _TRIES = 1e-3, 1e-3, 0.12, 30
"""How far before a surface shadow rays begin, how near a lamp may come, the first step of a candidate by the
same measures, and how often it is tried for each number.
"""
_FIRST_SIDE = 0.3
"""The side of a square of light that is first tried, as a share of its distance."""
_ON_A_SHEET = (np.stack(np.meshgrid(*[np.arange(4)] * 2), axis=-1).reshape(-1, 2) + 0.5) / 4 - 0.5
"""Where on a rectangle it is taken to shine, in shares of its sides from its middle."""
_TRUSTED, _AGAIN = 2.0, 2
"""From how many times the usual misfit on a block counts less, and how often candidates are moved again
then.
"""


@dataclass(frozen=True)
class Candidate:
    """A lamp that may be there, and what it leaves unexplained."""

    guess: Guess
    left: float


@dataclass(frozen=True)
class Ground:
    """What is seen at the blocks of a picture: places (N, 3), unit normals towards the eye (N, 3), base
    colour (N, 3), and how the lamps that are there explain it, as sums of squares.
    """

    places: Doubles
    normals: Doubles
    base: Doubles
    blocks: Blocks
    rays: Any
    normal: Doubles
    wanted: Doubles
    square: float
    own: Doubles = field(repr=False)

    def lit(self, guess: Guess) -> Doubles:
        """(N,) irradiance of a lamp behind shadow rays."""
        if guess.kind == "sun":
            toward = np.broadcast_to(guess.at, self.places.shape)
            return self._behind(toward, np.full(len(self.places), np.inf), np.ones(len(self.places)))
        if guess.kind != "rectangle":
            toward, far = self._toward(guess.at)
            return self._behind(toward, far, 1 / np.maximum(far, _NEAR_M) ** 2)
        sides = np.array([guess.width_m, guess.height_m])
        toward, far = self._toward(guess.at + (_ON_A_SHEET * sides) @ guess.stands[:3, :2].T)
        # Its own cosine: it shines to the side that it faces, by Lambert's law.
        out = np.maximum(-(toward @ guess.way[0]), 0)
        made = self._behind(toward, far, out / np.maximum(far, _NEAR_M) ** 2)
        return np.asarray(made.mean(axis=0) * sides.prod())

    def _toward(self, places: Doubles) -> tuple[Doubles, Doubles]:
        """Unit directions (..., N, 3) to places (..., 3), and how far off they are (..., N)."""
        away = places[..., None, :] - self.places
        far = np.linalg.norm(away, axis=-1)
        return away / np.maximum(far, 1e-9)[..., None], far

    def _behind(self, toward: Doubles, far: Doubles, fall: Doubles) -> Doubles:
        """(..., N) irradiance of what shines with ``fall`` (..., N) from directions (..., N, 3), so far off."""
        cosine = (self.normals * toward).sum(axis=-1)
        made = np.zeros(cosine.shape)
        front = np.nonzero((cosine > 0) & (fall > 0))
        if len(front[0]):
            start = (self.places + self.normals * _CLEAR_M)[front[-1]].astype(np.float32)
            met, there = nearest(self.rays, start, np.ascontiguousarray(toward[front], np.float32))
            free = (met < 0) | (there > far[front] * (1 - 1e-4))
            made[front] = np.where(free, (cosine * fall)[front], 0)
        return made

    def left(self, lit: Doubles) -> float:
        """What stays unexplained, weighted sum of squares, where a lamp of any colour lights so."""
        normal, wanted, _ = self._joined(lit)
        return self.square - explained(normal, wanted)

    def _joined(self, lit: Doubles) -> tuple[Doubles, Doubles, Doubles]:
        """Normal matrix and target of the lamps that are there and the channels of another, and its layer
        (N, 3), each channel of unit length.
        """
        layer = lit[:, None] * self.base / math.pi * self.blocks.weight
        layer = layer / np.sqrt(np.maximum((layer**2).sum(axis=0), 1e-30))
        count = len(self.wanted)
        normal = np.eye(count + 3)
        normal[:count, :count] = self.normal
        crossed = np.einsum("lnc,nc->lc", self.own, layer)
        normal[:count, count:], normal[count:, :count] = crossed, crossed.T
        wanted = np.concatenate([self.wanted, (layer * self.target).sum(axis=0)])
        return normal, wanted, layer

    @property
    def target(self) -> Doubles:
        return self.blocks.light * self.blocks.weight

    @cached_property
    def unexplained(self) -> Doubles:
        """(N, 3) what the lamps that are there leave, weighted."""
        return np.asarray(
            self.target - np.einsum("l,lnc->nc", weights_of(self.normal, self.wanted), self.own)
        )

    def trusting(self, lit: Doubles) -> Ground:
        """The same with less weight where a lamp that lights so does not explain what is seen: what shines,
        and what is otherwise for another reason (Huber 1964).
        """
        normal, wanted, layer = self._joined(lit)
        gains = weights_of(normal, wanted)
        made = np.einsum("l,lnc->nc", gains[:-3], self.own) + layer * gains[-3:]
        off = np.abs(made - self.target).max(axis=1)
        sigma = 1.4826 * float(np.median(off)) + 1e-6
        trust = np.minimum(1.0, _TRUSTED * sigma / np.maximum(off, 1e-12))
        return _joined_ground(
            self.places, self.normals, self.base, self.blocks.trusted(trust**0.5), self.rays
        )

    @property
    def nothing(self) -> float:
        """The same without another lamp."""
        return self.square - explained(self.normal, self.wanted)


def ground_of(
    scene: Scene, view: View, picture: Floats, made: Picture, lamps: Lamps, where: Mask, curve: str
) -> Ground:
    """What is seen at the middle of each block that counts."""
    blocks = blocks_of(picture, lamps, where, curve)
    flat = flatten(scene)
    height, width = picture.shape[:2]
    through = seen_by(flat.rays, view, width, height)
    rows, columns = blocks.middles
    rays, far = through.looks[rows, columns], through.far[rows, columns]
    guides = made.guides[rows, columns].astype(np.float64)
    normals = guides[:, 3:] / np.maximum(np.linalg.norm(guides[:, 3:], axis=1, keepdims=True), 1e-9)
    seen = np.isfinite(far)
    blocks = blocks.only(seen)
    places = (through.eye + rays * np.where(seen, far, 0)[:, None])[seen]
    normals = normals[seen] * -np.sign((normals * rays).sum(axis=1, keepdims=True))[seen]
    return _joined_ground(places, normals, guides[seen, :3], blocks, flat.rays)


def _joined_ground(places: Doubles, normals: Doubles, base: Doubles, blocks: Blocks, rays: Any) -> Ground:
    # What a lamp gives by way of other surfaces: about as much everywhere.
    spread = np.eye(3)[:, None, :] * base * float(blocks.light.mean() + 1e-12)
    layers = np.concatenate([blocks.layers, np.broadcast_to(spread, (2, *spread.shape))], axis=1)
    weighted = layers * blocks.weight
    first, second = (half.reshape(half.shape[0], -1) for half in weighted)
    crossed = first @ second.T
    target = blocks.light * blocks.weight
    own = weighted.mean(axis=0)
    wanted = np.einsum("lnc,nc->l", own, target)
    square = float((target**2).sum())
    return Ground(places, normals, base, blocks, rays, (crossed + crossed.T) / 2, wanted, square, own)


def simple_candidates(scene: Scene, ground: Ground) -> list[Candidate]:
    """The likeliest suns and points, each moved until it leaves least."""
    starts = {
        "sun": [Guess("sun", one) for one in spread_normals(_SUNS)],
        "point": [Guess("point", one) for one in room_of(scene, _ROOM)],
    }
    return [one for guesses in starts.values() for one in _followed(guesses, ground)]


def candidates(simple: Sequence[Candidate], ground: Ground) -> list[Candidate]:
    """The likeliest sun, point and rectangle, moved until it leaves least; the best first. What the best does
    not explain counts less then, and they are moved once more.
    """
    points = [one for one in simple if one.guess.kind == "point"]
    sheet = _moved(_sheet_at(min(points, key=lambda one: one.left).guess, ground), ground)
    made = [*simple, sheet]
    best = min(made, key=lambda one: one.left)
    for _ in range(_AGAIN):
        ground = ground.trusting(ground.lit(best.guess))
        made = [_moved(one.guess, ground) for one in made]
        best = min(made, key=lambda one: one.left)
    kinds = [kind for kind in KINDS if any(one.guess.kind == kind for one in made)]
    ways = [min((one for one in made if one.guess.kind == kind), key=lambda one: one.left) for kind in kinds]
    return sorted(
        (replace(one, left=one.left / max(ground.nothing, 1e-12)) for one in ways), key=lambda one: one.left
    )


def _followed(guesses: Sequence[Guess], ground: Ground) -> list[Candidate]:
    """The likeliest that lie apart, moved until they leave least."""
    left = np.array([ground.left(ground.lit(one)) for one in guesses])
    taken: list[Guess] = []
    for k in np.argsort(left):
        if len(taken) == _FOLLOWED:
            break
        reach = _APART * reach_of(guesses[k].kind, ground)
        if all(np.linalg.norm(guesses[k].at - one.at) > reach for one in taken):
            taken.append(guesses[k])
    return [_moved(one, ground) for one in taken]


def _sheet_at(point: Guess, ground: Ground) -> Guess:
    """A square in a point's place that looks at what is lit by it."""
    lit = ground.lit(point) + 1e-9
    aim = np.asarray((ground.places * lit[:, None]).sum(axis=0) / lit.sum())
    side = _FIRST_SIDE * max(float(np.linalg.norm(aim - point.at)), 1e-3)
    return Guess("rectangle", point.at, aim, size=0.0, width_m=side, height_m=side)


def reach_of(kind: Kind, ground: Ground) -> float:
    return 1.0 if kind == "sun" else float(np.linalg.norm(np.ptp(ground.places, axis=0))) / 2


def _moved(start: Guess, ground: Ground) -> Candidate:
    """A candidate where it leaves least about a start."""
    numbers = about(start, reach_of(start.kind, ground))
    sharp, rest = numbers.first[: numbers.sharp], numbers.first[numbers.sharp :]

    def placed(x: Doubles) -> Guess:
        return numbers.place(np.concatenate([x, rest]))

    left, found = simplex_search(
        lambda x: ground.left(ground.lit(placed(x))),
        np.vstack([sharp, sharp + np.diag(_STEP * numbers.reach[: numbers.sharp])]),
        _TRIES * max(len(sharp), 3),
    )
    return Candidate(placed(found), left)


def room_of(scene: Scene, many: tuple[int, int, int]) -> Doubles:
    """(N, 3) places in and about a scene, so many across, up and along."""
    box = bounds(scene)
    low, high = box if box is not None else (-np.ones(3), np.ones(3))
    middle, half = (low + high) / 2, np.maximum((high - low) / 2, 1e-3) * _ABOUT
    half = np.maximum(half, 0.4 * half.max())
    axes = [np.linspace(-1, 1, n + 2)[1:-1] for n in many]
    grid = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
    return np.asarray(grid * half + middle, np.float64)


def simplex_search(cost: Callable[[Doubles], float], begins: Doubles, tries: int) -> tuple[float, Doubles]:
    """The least cost by about so many tries, and where it is (N,) (Nelder and Mead 1965)."""
    ask: Any = minimize
    found = ask(
        cost,
        begins[0],
        method="Nelder-Mead",
        options={"initial_simplex": begins, "maxfev": tries, "xatol": 1e-3, "fatol": 1e-9},
    )
    return float(found.fun), np.asarray(found.x, np.float64)
