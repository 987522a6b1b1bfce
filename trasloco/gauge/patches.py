"""What a picture of a board shows in its flat patches."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.gauge import layout, steps
from trasloco.gauge.expected import WIDTH, Expected, cropped, window
from trasloco.gauge.marks import Placed, placed, rectified
from trasloco.outside.registering import outlines
from trasloco.outside.showing import Floats
from trasloco.scene.model import Doubles

_INNER = 0.55
"""The share of a patch's side that is measured: its border is soft."""


@dataclass(frozen=True)
class Seen:
    """A picture of a board as the board's own camera sees it, (H, W, 3) display light, and where it reaches."""

    board: str
    lies: Placed
    picture: Floats
    inside: npt.NDArray[np.bool_]

    def cell(self, cell: tuple[int, int]) -> Floats:
        return cropped(self.picture, cell)

    def reaches(self, cell: tuple[int, int]) -> bool:
        rows, columns = window(cell, self.picture.shape[1])
        return bool(self.inside[rows, columns].all())


def seen(board: str, display: Floats, width: int = WIDTH) -> Seen:
    """Find a board in a picture (H, W, 3), display light, and take it out so many pixels wide. Raises
    Refused.
    """
    lies = placed(display)
    picture, inside = rectified(display, lies, width)
    return Seen(board, lies, picture, inside)


def patches(one: Expected, picture: Floats, prefixes: tuple[str, ...]) -> Floats:
    """Means (N, 3) of the four patches of each cell whose key begins so, of a raster (H, W, 3)."""
    made = []
    for key, cell in one.cells.items():
        if key.startswith(prefixes):
            for k in range(steps.PER_CELL):
                made.append(_mean(picture, cell, k))
    return np.array(made, np.float32).reshape(-1, 3)


def _mean(picture: Floats, cell: tuple[int, int], k: int) -> Doubles:
    x, y = layout.cell_place(*cell)
    right, up = steps.corner(k)
    scale = picture.shape[1] / layout.FRAME_WIDTH
    half = _INNER * steps.PATCH / 2 * scale
    across, down = picture.shape[1] / 2 + (x + right) * scale, picture.shape[0] / 2 - (y + up) * scale
    part = picture[round(down - half) : round(down + half), round(across - half) : round(across + half)]
    return np.asarray(part.reshape(-1, 3).mean(axis=0), np.float64)


def likeness(one: Expected, mine: Seen) -> float:
    """Correlation of outlines, from -1 to 1, of a picture and of a board as the files say it, where the
    picture
    reaches: the same board is above 0.8 however it is shown, another below 0.7.
    """
    meant, shown = (outlines(picture)[mine.inside] for picture in (one.base.sum(axis=0), mine.picture))
    meant, shown = meant - meant.mean(), shown - shown.mean()
    size = float(np.sqrt((meant * meant).sum() * (shown * shown).sum()))
    return float((meant * shown).sum()) / size if size > 0 else 0.0
