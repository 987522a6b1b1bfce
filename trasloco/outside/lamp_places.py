"""Where a lamp may be that a picture asks for: suns on the sphere and points about the room, by what each
gives the surfaces that are seen.

What a lamp gives a surface straight away is E rho / pi behind shadow rays; what it gives by way of others is
about as much everywhere. Its light joins the layers of the lamps that are there, and all of them are solved
for together (non-negative least squares); the candidate that leaves least is moved until it leaves less.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np
from scipy.optimize import minimize

from trasloco.outside.light_match import Blocks, Lamps, Mask, blocks_of
from trasloco.outside.nonnegative import explained, weights_of
from trasloco.rays.kernels import nearest
from trasloco.render.flatten import flatten
from trasloco.render.picture import Floats, Picture, View
from trasloco.render.sampling import basis
from trasloco.render.seen import seen_by
from trasloco.scene.extent import bounds
from trasloco.scene.harmonics import spread_normals
from trasloco.scene.model import Doubles, Scene

Kind = Literal["sun", "point"]
SIZE = 0.03
"""The size that a lamp is first tried with: its radius as a share of its distance."""
_SUNS, _ROOM = 320, (9, 6, 9)
"""Directions on the sphere, and places across, up and along the room."""
_ABOUT = 1.5
"""The room reaches so many times as far as the scene."""
_FOLLOWED, _APART = 3, 0.35
"""Candidates of each kind that are moved until they leave least, and how far their starts lie apart as a
share of the scene's reach, or of a sphere's radius.
"""
_CLEAR_M, _STEP = 1e-3, 0.12
"""How far before a surface shadow rays begin, and the first step of a candidate by the same measures."""
_TRUSTED, _AGAIN = 2.0, 2
"""From how many times the usual misfit on a block counts less, and how often candidates are moved again
then.
"""


@dataclass(frozen=True)
class Candidate:
    """A sun by the direction that it shines from, a point by its place (3,), and what it leaves
    unexplained.
    """

    kind: Kind
    at: Doubles
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

    def lit(self, kind: Kind, at: Doubles) -> Doubles:
        """(N,) irradiance of a candidate of one lux, or candela, behind shadow rays."""
        if kind == "sun":
            toward = np.broadcast_to(at, self.places.shape)
            far, fall = np.full(len(self.places), np.inf), np.ones(len(self.places))
        else:
            away = at - self.places
            far = np.linalg.norm(away, axis=1)
            toward, fall = away / np.maximum(far, 1e-9)[:, None], 1 / np.maximum(far, 1e-3) ** 2
        cosine = (self.normals * toward).sum(axis=1)
        made = np.zeros(len(self.places))
        front = np.flatnonzero(cosine > 0)
        if len(front):
            start = (self.places + self.normals * _CLEAR_M)[front].astype(np.float32)
            met, there = nearest(self.rays, start, np.ascontiguousarray(toward[front], np.float32))
            free = (met < 0) | (there > far[front] * (1 - 1e-4))
            made[front[free]] = (cosine * fall)[front[free]]
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


def candidates(scene: Scene, ground: Ground) -> list[Candidate]:
    """The likeliest of each kind, moved until it leaves least; the best first. What the best does not explain
    counts less then, and they are moved once more.
    """
    made = []
    starts: dict[Kind, Doubles] = {"sun": spread_normals(_SUNS), "point": _room(scene)}
    for kind, places in starts.items():
        left = np.array([ground.left(ground.lit(kind, one)) for one in places])
        taken: list[Doubles] = []
        for k in np.argsort(left):
            if len(taken) == _FOLLOWED:
                break
            if all(np.linalg.norm(places[k] - one) > _APART * reach_of(kind, ground) for one in taken):
                taken.append(places[k])
        made += [_moved(kind, one, ground) for one in taken]
    best = min(made, key=lambda one: one.left)
    for _ in range(_AGAIN):
        ground = ground.trusting(ground.lit(best.kind, best.at))
        made = [_moved(one.kind, one.at, ground) for one in made]
        best = min(made, key=lambda one: one.left)
    kinds = sorted({one.kind for one in made})
    ways = [min((one for one in made if one.kind == kind), key=lambda one: one.left) for kind in kinds]
    return sorted(
        (replace(one, left=one.left / max(ground.nothing, 1e-12)) for one in ways), key=lambda one: one.left
    )


def reach_of(kind: Kind, ground: Ground) -> float:
    return 1.0 if kind == "sun" else float(np.linalg.norm(np.ptp(ground.places, axis=0))) / 2


def about(
    kind: Kind, start: Doubles, ground: Ground
) -> tuple[Callable[[Doubles], Doubles], Doubles, Doubles]:
    """Places about a start by numbers, of which the last is left to its size; the first of them, and how far
    each reaches.
    """
    if kind == "sun":
        across = np.array(basis(*start)).reshape(2, 3)

        def turned(x: Doubles) -> Doubles:
            made = start + x[:2] @ across
            return np.asarray(made / np.linalg.norm(made))

        return turned, np.array([0.0, 0.0, SIZE]), np.ones(3)

    def moved(x: Doubles) -> Doubles:
        return np.asarray(start + x[:3])

    return moved, np.array([0.0, 0.0, 0.0, SIZE]), np.array([*[reach_of(kind, ground)] * 3, 1.0])


def _moved(kind: Kind, start: Doubles, ground: Ground) -> Candidate:
    """A candidate where it leaves least about a start."""
    place, first, reach = about(kind, start, ground)
    first, step = first[:-1], _STEP * reach[:-1]
    left, found = simplex_search(
        lambda x: ground.left(ground.lit(kind, place(x))), np.vstack([first, first + np.diag(step)]), 90
    )
    return Candidate(kind, place(found), left)


def _room(scene: Scene) -> Doubles:
    """(N, 3) places in and about a scene."""
    box = bounds(scene)
    low, high = box if box is not None else (-np.ones(3), np.ones(3))
    middle, half = (low + high) / 2, np.maximum((high - low) / 2, 1e-3) * _ABOUT
    half = np.maximum(half, 0.4 * half.max())
    axes = [np.linspace(-1, 1, n + 2)[1:-1] for n in _ROOM]
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
