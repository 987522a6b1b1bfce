"""A line that a gauge tells: the readings that are told apart, and in which cells.

A reading is a way in which a program may take what the files say. ``bend`` is the board as it would look
then.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from trasloco.gauge.alpha_places import AlphaPlace
from trasloco.outside.bends import Bending
from trasloco.outside.showing import Floats
from trasloco.scene.model import Doubles

Shading = Callable[[Floats, Doubles, str], Floats]
"""A cell's light (H, W, 3) as it would be, from it, the places (H, W, 2) on the board under it against the
cell's middle, and the cell's key."""


@dataclass(frozen=True)
class Reading:
    """One way of taking a line: what it is called in a sheet, in words, and how the cells look then.

    Without ``bend`` and ``shade``: as the files say. ``flat``: the cell shows one colour, whichever.
    ``over``: what stands behind, in nit, is blended with what is shown of the sheet, not with its light;
    alpha grows to the right.
    """

    value: Any
    words: str
    bend: Bending | None = None
    shade: Shading | None = None
    flat: bool = False
    over: tuple[float, float, float] | None = None


@dataclass(frozen=True)
class Line:
    """A line: its key, the sheet's line that it fills (or none), words, the board and the cells that show it.

    ``light``: whose light the cells are in; that of lamps of their own and of the surroundings is found
    for each cell first. ``also``: cells that look otherwise too, and are not compared. ``needs``: an input
    that has to be in the files for them to say anything. ``kept``: whether its cell's image has to be there in
    its own kind. ``alpha``: the place in which its cells have to have theirs.
    """

    key: str
    path: str
    label: str
    board: str
    cells: tuple[str, ...]
    readings: tuple[Reading, ...]
    light: Literal["sun", "lamp", "surroundings"] = "sun"
    also: tuple[str, ...] = ()
    needs: str = ""
    kept: bool = False
    alpha: AlphaPlace | None = None
