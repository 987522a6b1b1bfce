"""Both sides of a view drawn until their difference is known well enough: samples go where the difference is
uncertain, to both sides alike.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.hands.model import Hands
from trasloco.hands.threads import Threads
from trasloco.progress import Progress, silent
from trasloco.proof.compare import LEAST_COVER, by_pixel, subject_of
from trasloco.proof.figure import Figure, Pixels, figure_of
from trasloco.render.arrays import FlatScene
from trasloco.render.picture import Picture, Quality, Rendering, View

FIRST = (1, 2, 4, 8)
"""Samples that all tiles get before anything is known."""
MOST_GROWTH = 4
"""How many times as many samples a tile gets at most before it is judged again."""
MOST_OF_A_TILE = 8192
_AIMED = 0.9
"""Share of what is asked that is aimed at: what is foreseen is met only about."""
_UNSEEN = 0.05
"""Noise that a tile is taken to have where none was seen yet, as a share of the mean."""
Doubles = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Aim:
    """How well a difference is to be known: half the width of the interval that it is told with, ΔE, of the
    subject and of whichever material may be the worst.
    """

    subject: float
    material: float


def aim_of(within: float) -> Aim:
    """What follows from the subject's: a material fills little of the picture, and is told less exactly."""
    return Aim(within, within * 20 / 3)


@dataclass(frozen=True)
class Standing:
    """How well a difference is known, and what would make it known as well as is asked.

    Attributes:
        widest: of what is not known well enough, the most times that its half-width exceeds what is asked;
            at most 1 where all is. wanted: samples of each tile that would do, by what is seen now.
    """

    widest: float
    wanted: tuple[int, ...]

    @property
    def known(self) -> bool:
        return self.widest <= 1


def stand(
    pair: tuple[Picture, Picture], ev100: float, tiles: Sequence[tuple[int, int, int, int]], aim: Aim
) -> Standing:
    """Where a view stands.

    Noise is what an interval is wide by, and that of a tile with n samples falls with the root of n: the
    fewest samples that make it narrow enough are shared out among the tiles (:func:`_shared_out`).
    What a sample costs is left out: weighed by the rays it takes, six scenes took as long as without.
    """
    reference, arrival = pair
    subject = subject_of(reference, arrival)
    pixels = by_pixel(reference, arrival, ev100, subject)
    number = np.empty(pixels.found.shape, np.int64)
    done = np.empty(len(tiles))
    counts = reference.counts
    for k, (x0, x1, y0, y1) in enumerate(tiles):
        number[y0:y1, x0:x1] = k
        done[k] = reference.samples if counts is None else counts[y0, x0]
    wanted, widest = done.copy(), 0.0
    for seen, figure, most in _groups(reference.ids[..., 0], subject, pixels, aim):
        times = (figure.high - figure.low) / 2 / most
        widest = max(widest, times)
        if times > 1:
            across, along = _by_tile(pixels.at(seen), number[seen], len(tiles))
            wanted = np.maximum(wanted, _shared_out(across, along, done, _AIMED / times))
    even = np.minimum(2 * np.ceil(wanted / 2), MOST_OF_A_TILE)
    return Standing(widest, tuple(int(n) for n in np.maximum(even, done)))


def _groups(
    materials: npt.NDArray[np.int32], subject: npt.NDArray[np.bool_], pixels: Pixels, aim: Aim
) -> Iterator[tuple[npt.NDArray[np.bool_], Figure, float]]:
    """Pixels (H, W) that are told together, what is told, and how well it is to be known: the subject, and
    every one of the ``materials`` (H, W) that may turn out to be the worst.
    """
    yield subject, figure_of(pixels.at(subject)), aim.subject
    found = []
    for one in np.unique(materials[materials >= 0]):
        seen = materials == one
        if seen.mean() >= LEAST_COVER:
            found.append((seen, figure_of(pixels.at(seen))))
    least = max((figure.low for _, figure in found), default=0.0)
    for seen, figure in found:
        if figure.high >= least:
            yield seen, figure, aim.material


def _by_tile(pixels: Pixels, tile: npt.NDArray[np.int64], count: int) -> tuple[Doubles, Doubles]:
    """Two of each tile, of pixels (N,) in the tiles of these numbers: what noise makes the interval wide by
    where it may be all that differs, half of its mean; and the square of two standard errors, which is all
    that it does where the difference is clear of it.
    """
    across = np.bincount(tile, np.where(pixels.clear, 0.0, pixels.floor), count) / (2 * len(tile))
    along = 4 * np.bincount(tile, np.where(pixels.clear, pixels.floor**2, 0.0), count) / len(tile) ** 2
    there = np.bincount(tile, minlength=count) > 0
    across[there] = np.maximum(across[there], _UNSEEN * across[there].mean())
    return across, along


def _shared_out(across: Doubles, along: Doubles, done: Doubles, share: float) -> Doubles:
    """The fewest samples of each tile with which the sum of ``across`` and the root of the sum of ``along``
    fall to a ``share`` of what they are with those that are ``done``.

    By Lagrange's multiplier k, under the sum of n: k = A / (2 n^(3/2)) + B / (2 S n^2), A and B at one sample
    and S the root of the sum of B / n; n is taken as the sum of what either alone would ask for.
    """
    a, b = across * np.sqrt(done), along * done
    root = share * math.sqrt(float(along.sum()))

    def wide(n: Doubles) -> float:
        return float((a / np.sqrt(n)).sum()) + math.sqrt(float((b / n).sum()))

    def samples(k: float) -> Doubles:
        apart = np.sqrt(b / (2 * root * k)) if root > 0 else 0.0
        return np.asarray(np.maximum((a / (2 * k)) ** (2 / 3) + apart, done))

    aimed = share * wide(done)
    low, high = 1e-15, 1e15
    for _ in range(100):
        middle = math.sqrt(low * high)
        low, high = (middle, high) if wide(samples(middle)) <= aimed else (low, middle)
    return samples(low)


def refined(
    flats: tuple[FlatScene, FlatScene],
    view: View,
    quality: Quality,
    ev100: float,
    aim: Aim,
    progress: Progress = silent,
    on_step: Callable[[tuple[Picture, Picture]], None] = lambda pair: None,
    start: tuple[Picture | None, Picture | None] = (None, None),
    hands: Hands | None = None,
) -> tuple[Picture, Picture]:
    """Reference and arrival of a view, drawn until the aim is reached.

    ``quality`` holds the most samples a pixel in the mean, and seconds a side, after which it ends anyhow; how
    well it is known then is told by the figures. Samples of a step are shared out by what was seen before it.
    """
    began = time.monotonic()
    sides = [
        Rendering(hands or Threads(quality.threads), flat, view, quality, one)
        for flat, one in zip(flats, start, strict=True)
    ]
    foreseen, known, pixels = math.inf, "the first samples", quality.width * quality.height
    spent = sides[0].spent + sides[1].spent

    def heard(count: int) -> None:
        nonlocal spent
        spent += count
        progress(min(spent / foreseen, 1.0), known)

    def step(wanted: Sequence[int]) -> tuple[Picture, Picture]:
        for side in sides:
            side.more(wanted, heard)
        pair = sides[0].picture(), sides[1].picture()
        on_step(pair)
        return pair

    tiles, pair = sides[0].tiles, (sides[0].picture(), sides[1].picture())
    for first in FIRST:
        if first <= quality.samples and first > min(sides[0].done + sides[1].done):
            foreseen = 2.0 * pixels * quality.samples
            pair = step([first] * len(tiles))
    if sides[0].done != sides[1].done:  # one side was drawn further before
        pair = step([max(both) for both in zip(sides[0].done, sides[1].done, strict=True)])
    while True:
        standing = stand(pair, ev100, tiles, aim)
        over = time.monotonic() - began > 2 * quality.seconds > 0
        done = sides[0].done
        wanted = [
            min(most, max(MOST_GROWTH * had, 2)) for most, had in zip(standing.wanted, done, strict=True)
        ]
        wanted = _at_most(wanted, done, quality.samples * len(tiles))
        if standing.known or over or wanted == done:
            return pair
        foreseen = 2.0 * pixels * min(sum(standing.wanted) / len(tiles), quality.samples)
        known = f"known to {standing.widest:.1f} times what is asked"
        pair = step(wanted)


def _at_most(wanted: list[int], done: list[int], most: int) -> list[int]:
    """What is wanted, as much of it as leaves the sum within the most."""
    more = sum(wanted) - sum(done)
    room = most - sum(done)
    if more <= max(room, 0):
        return wanted
    share = max(room, 0) / more
    return [had + 2 * int((want - had) * share / 2) for want, had in zip(wanted, done, strict=True)]
