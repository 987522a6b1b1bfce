"""The marks of a board found in a picture, and where every place of the board lies in it.

A mark is a bright ring about a bright dot. Its places in the picture are those of a plane seen by a pinhole
(Hartley and Zisserman 2004, chapter 2), bent by one radial term of a lens (Brown 1966).
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import ndimage
from scipy.optimize import least_squares

from trasloco.errors import Refused
from trasloco.gauge import layout
from trasloco.outside.registering import Floats, sampled
from trasloco.scene.color import linear_to_srgb, luminance
from trasloco.scene.model import Doubles

LEAST = 8
"""With fewer marks than this a picture is not placed."""
_BLOCKS = (25, 61)
_AREA = (layout.DOT**2, layout.BIG_DOT**2)
_ENOUGH = 1.42
"""Marks that agree, and half as much for each whose dot is as big as it should be, a mark: then no other
place is tried.
"""
_NEAR, _FAR_PX = 2.5, 4.0
"""How far a mark may lie from where others say it is, at first in radii of a mark, and at last in pixels."""


@dataclass(frozen=True)
class Mark:
    """A mark in a picture: its middle in pixels right and down, its radius, and whether its dot is big."""

    x: float
    y: float
    radius: float
    key: bool


@dataclass(frozen=True)
class Placed:
    """How a board lies in a picture.

    Attributes:
        homography: (3, 3) of places on the board in metres to pixels, before the lens. bend: its radial term,
            by half diagonals of the picture. middle, half: (x, y) and half diagonal in pixels.
        marks: how many of the fifteen were found. rms_px: how far off they lie. mirrored: whether it is seen
            as in a mirror.
    """

    homography: Doubles
    bend: float
    middle: tuple[float, float]
    half: float
    marks: int
    rms_px: float

    @property
    def mirrored(self) -> bool:
        # Up on the board is up in metres and down in pixels.
        return bool(np.linalg.det(self.homography[:2, :2]) > 0)

    @property
    def turn_rad(self) -> float:
        """How far the board is turned in the picture, counterclockwise."""
        return float(np.arctan2(-self.homography[1, 0], self.homography[0, 0]))

    @property
    def pixels_a_metre(self) -> float:
        a, b = self.pixels(np.array([[0.0, 0.0], [1.0, 0.0]]))
        return float(np.hypot(*(b - a)))

    def pixels(self, board: Doubles) -> Doubles:
        """Pixels (..., 2), right and down, of places on the board (..., 2)."""
        flat = board @ self.homography[:, :2].T + self.homography[:, 2]
        flat = flat[..., :2] / flat[..., 2:]
        away = (flat - self.middle) / self.half
        return np.asarray(flat + self.bend * (away**2).sum(axis=-1, keepdims=True) * away * self.half)


def found_marks(display: Floats) -> list[Mark]:
    """Every mark in a picture (H, W, 3), display light."""
    # Numbers above one are glare: what is white counts as white.
    grey = linear_to_srgb(np.clip(luminance(display), 0, 1)).astype(np.float32)
    made: list[Mark] = []
    scale = max(grey.shape) / 1280
    for block in _BLOCKS:
        size = block * max(scale, 0.5)
        local = ndimage.uniform_filter(grey, round(size) | 1)
        for over in (0.02, 0.12):
            for one in _rings(grey, grey > local + over):
                if all(np.hypot(one.x - m.x, one.y - m.y) > 0.5 * m.radius for m in made):
                    made.append(one)
    return made


def _rings(grey: Floats, bright: npt.NDArray[np.bool_]) -> list[Mark]:
    """Bright rings with a bright dot in their middle."""
    labels, _ = ndimage.label(bright, np.ones((3, 3)))
    boxes = ndimage.find_objects(labels)
    sides = np.array([[rows.stop - rows.start, columns.stop - columns.start] for rows, columns in boxes])
    sides = sides.reshape(-1, 2)
    middles = (
        np.array([[rows.start + rows.stop, columns.start + columns.stop] for rows, columns in boxes]) / 2
    )
    middles = middles.reshape(-1, 2) - 0.5
    round_enough = (sides.min(axis=1) >= 2) & (sides.max(axis=1) < 1.6 * sides.min(axis=1) + 1)
    made = []
    for at in np.flatnonzero(round_enough & (sides.min(axis=1) >= 8)):
        tall, wide = sides[at]
        radius = (tall + wide) / 4
        near = np.hypot(*(middles - middles[at]).T) < 0.18 * radius
        inner = np.flatnonzero(near & round_enough & (sides.max(axis=1) < 1.5 * radius))
        if not len(inner):
            continue
        ring = labels[boxes[at]] == at + 1
        whole = float(ndimage.binary_fill_holes(ring).sum())
        if not 0.8 < whole / (np.pi / 4 * tall * wide) < 1.2 or not 1.5 < whole / ring.sum() < 4.5:
            continue
        for k in inner:
            share = float((labels[boxes[k]] == k + 1).sum()) / whole
            if 0.04 < share < 0.45:
                y, x = _middle(grey, (middles[at][0], middles[at][1]), radius)
                made.append(Mark(x, y, radius, bool(share > (_AREA[0] + _AREA[1]) / 2)))
                break
    return made


def _middle(grey: Floats, about: tuple[float, float], radius: float) -> tuple[float, float]:
    """Row and column of a mark's middle: the centre of gravity of its light, by parts of a pixel."""
    y, x = about
    for _ in range(3):
        low, left = int(np.floor(y - 1.1 * radius)), int(np.floor(x - 1.1 * radius))
        rows, columns = np.mgrid[low : low + int(2.2 * radius) + 2, left : left + int(2.2 * radius) + 2]
        inside = (rows >= 0) & (rows < grey.shape[0]) & (columns >= 0) & (columns < grey.shape[1])
        rows, columns = rows[inside], columns[inside]
        within = np.hypot(rows - y, columns - x) < 1.12 * radius
        values = grey[rows, columns]
        weight = np.where(within, np.maximum(values - np.percentile(values[within], 15), 0), 0).astype(
            np.float64
        )
        total = float(weight.sum())
        if total <= 0:
            return about
        y, x = float((weight * rows).sum() / total), float((weight * columns).sum() / total)
    return y, x


def placed(display: Floats) -> Placed:
    """Where the board lies in a picture (H, W, 3), display light.

    Raises:
        Refused: too few of its marks are seen.
    """
    height, width = display.shape[:2]
    marks = found_marks(display)
    start = _start(marks)
    if start is None:
        raise Refused(
            f"The marks of the board are not found in this picture: {len(marks)} of {len(layout.mark_places())}.",
            f"{width} x {height} pixels",
            "Frame the whole board with its fifteen ringed marks, 640 pixels wide or more, without anything over it.",
        )
    board = layout.marks_seen()
    seen = np.array([[m.x, m.y] for m in marks])
    middle, half = ((width - 1) / 2, (height - 1) / 2), float(np.hypot(width, height) / 2)
    made = Placed(start, 0.0, middle, half, 0, 0.0)
    limit = _NEAR * float(np.median([m.radius for m in marks]))
    for _ in range(4):
        pairs = _paired(made.pixels(board), seen, limit)
        if len(pairs) < LEAST:
            break
        made = _fitted(board[[i for i, _ in pairs]], seen[[k for _, k in pairs]], made)
        limit = max(_FAR_PX, 3 * made.rms_px)
    if made.marks < LEAST:
        raise Refused(
            f"Too few marks of the board lie where they should in this picture: {made.marks}.",
            f"{width} x {height} pixels",
            "Take it from straight ahead, through the camera that comes with the board.",
        )
    return made


def _start(marks: list[Mark]) -> Doubles | None:
    """A first (3, 3) place of the board: the turn, size and shift, mirrored or not, that most marks agree
    with.
    """
    board, keys = layout.marks_seen(), np.array(layout.mark_keys())
    if len(marks) < LEAST:
        return None
    seen = np.array([complex(m.x, m.y) for m in marks])
    big = np.array([m.key for m in marks])
    radius = float(np.median([m.radius for m in marks]))
    best: tuple[float, Doubles] | None = None
    for mirrored in (False, True):
        there = board[:, 0] - 1j * board[:, 1] * (-1 if mirrored else 1)
        for a, b in itertools.permutations(range(len(board)), 2):
            if abs(there[b] - there[a]) > 1.01 * np.hypot(2, 2) * layout.PITCH:
                continue  # neighbours are enough
            for i, k in itertools.permutations(range(len(seen)), 2):
                turn = (seen[k] - seen[i]) / (there[b] - there[a])
                if not 0.6 < abs(turn) * layout.MARK_RADIUS / radius < 1.6:
                    continue
                away = abs((turn * (there - there[a]) + seen[i])[:, None] - seen[None])
                nearest = away.argmin(axis=1)
                hit = away.min(axis=1) < 1.2 * radius
                score = float(hit.sum() + 0.5 * (hit & (big[nearest] == keys)).sum())
                if best is not None and best[0] > _ENOUGH * len(board):
                    return best[1]
                if best is None or score > best[0]:
                    shift = seen[i] - turn * there[a]
                    sign = 1.0 if mirrored else -1.0
                    # turn * (x + sign i y) + shift, as right and down
                    matrix = np.array(
                        [
                            [turn.real, -sign * turn.imag, shift.real],
                            [turn.imag, sign * turn.real, shift.imag],
                            [0, 0, 1],
                        ]
                    )
                    best = (score, matrix)
    return None if best is None or best[0] < LEAST else best[1]


def _paired(there: Doubles, seen: Doubles, limit: float) -> list[tuple[int, int]]:
    away = np.hypot(*(there[:, None] - seen[None]).transpose(2, 0, 1))
    return [
        (i, int(k))
        for i, k in enumerate(away.argmin(axis=1))
        if away[i, k] < limit and away[:, k].argmin() == i
    ]


def _fitted(board: Doubles, seen: Doubles, start: Placed) -> Placed:
    scale = start.pixels_a_metre

    def of(v: Doubles) -> Placed:
        matrix = np.append(v[:8], 1.0).reshape(3, 3)
        matrix[:2] *= scale
        bend = float(v[8]) if len(v) > 8 else 0.0
        return Placed(matrix, bend, start.middle, start.half, len(seen), 0.0)

    def off(v: Doubles) -> Doubles:
        return np.asarray((of(v).pixels(board) - seen).ravel())

    first = start.homography / start.homography[2, 2]
    first = np.concatenate([(first[:2] / scale).ravel(), first[2, :2]])
    values = np.append(first, start.bend) if len(seen) >= 10 else first
    found = least_squares(off, values, loss="soft_l1", f_scale=1.0)
    rms = float(np.sqrt((off(found.x) ** 2).sum() / len(seen)))
    made = of(found.x)
    return Placed(made.homography, made.bend, made.middle, made.half, len(seen), rms)


def rectified(display: Floats, lies: Placed, width: int) -> tuple[Floats, npt.NDArray[np.bool_]]:
    """The board as its own camera sees it (H, W, 3), and where the picture reaches."""
    at = lies.pixels(layout.raster(width))
    pixel = layout.FRAME_WIDTH / width * lies.pixels_a_metre
    soft = display if pixel <= 1.2 else ndimage.gaussian_filter(display, (0.4 * pixel, 0.4 * pixel, 0))
    return sampled(np.asarray(soft, np.float32), at[..., 1], at[..., 0])
