"""Where things stand on a board of the gauge: a frame of 16:9 that a camera sees from straight ahead, eight
by four cells, and a mark at every second corner between them.

Places on a board are metres right of and above its middle; it faces +Z.
"""

from __future__ import annotations

import math

import numpy as np

from trasloco.render.picture import View
from trasloco.scene.model import Doubles
from trasloco.scene.transforms import looking

COLUMNS, ROWS, PITCH = 8, 4, 0.4
FRAME_HEIGHT = 1.92
FRAME_WIDTH = FRAME_HEIGHT * 16 / 9
YFOV_RAD = math.radians(20.0)
DISTANCE = FRAME_HEIGHT / 2 / math.tan(YFOV_RAD / 2)
INSIDE = 0.29
"""The side of what a cell holds: marks and a dark rim lie between cells."""
MARK_RADIUS = 0.046
DOT, BIG_DOT, RING = 0.34, 0.56, 0.76
"""Radii inside a mark as shares of its own: the dot in its middle, that of a key mark, and where the ring
begins.
"""
MARK_Z = 0.012
"""How far marks stand before the board."""
KEYS = ((0, 0), (1, 0))
"""Marks by column and row that have a big dot: where they lie tells how the picture is turned."""


def cell_place(column: int, row: int) -> tuple[float, float]:
    """The middle of a cell, counted from the upper left."""
    return (column - (COLUMNS - 1) / 2) * PITCH, ((ROWS - 1) / 2 - row) * PITCH


def mark_places() -> Doubles:
    """(15, 2) middles of the marks, row by row from the upper left."""
    return np.array(
        [
            ((2 * i - COLUMNS / 2) * PITCH, (ROWS / 2 - 2 * j) * PITCH)
            for j in range(ROWS // 2 + 1)
            for i in range(COLUMNS // 2 + 1)
        ]
    )


def marks_seen() -> Doubles:
    """(15, 2) where on the board the marks are seen from its camera, which they are a little nearer to."""
    return mark_places() * DISTANCE / (DISTANCE - MARK_Z)


def mark_keys() -> list[bool]:
    """Which of :func:`mark_places` are key marks."""
    return [(i, j) in KEYS for j in range(ROWS // 2 + 1) for i in range(COLUMNS // 2 + 1)]


def board_view(name: str) -> View:
    """What the camera of a board sees."""
    return View(name, looking([0, 0, DISTANCE], [0, 0, 0]), YFOV_RAD, aspect=16 / 9)


def raster(width: int) -> Doubles:
    """(H, W, 2) places on the board under the pixels' middles of a picture that its camera takes."""
    height = round(width * 9 / 16)
    x = ((np.arange(width) + 0.5) / width - 0.5) * FRAME_WIDTH
    y = (0.5 - (np.arange(height) + 0.5) / height) * FRAME_HEIGHT
    return np.stack(np.broadcast_arrays(x[None], y[:, None]), axis=-1)
