"""The third board: boxes with one lamp each, whose light on the boxes' backs tells its strength, how it falls
off and what its angles mean.
"""

from __future__ import annotations

import math
from functools import cache
from typing import Any

from trasloco.gauge.build import WALL_Z, Board, Builder, panel
from trasloco.gauge.layout import cell_place
from trasloco.gauge.steps import reference_steps
from trasloco.scene.transforms import compose

BACK_Z, WHITE, NIT = WALL_Z + 0.02, 0.8, 0.5
"""Where the backs of boxes stand, how light they are, and how brightly a lamp lights one where it is nearest.
"""
POINTS = {"point": (0.0, 0.10), "graze": (0.1, 0.05)}
"""Points before a back: how far above its middle, and how far from it."""
CONE, WIDE = math.radians(26), math.radians(36)
NEAR = 0.2
_PLACES = {
    "point": (1, 0),
    "graze": (3, 0),
    "spot": (5, 0),
    "post": (7, 0),
    "ballpost": (1, 2),
    "rectangle": (3, 2),
    "disc": (5, 2),
    "colored": (7, 2),
}
"""Boxes stand apart: where lamps throw no shadows, a box is lit by its neighbours too."""


@cache
def lamps() -> Board:
    board = Builder("lamps", "Lamps", by_hand="No other light: no sun, and black surroundings.")
    reference_steps(board)
    for key, (up, far) in POINTS.items():
        x, y = _box(board, key)
        _light(board, key, "point", (x, y + up, BACK_Z + far), intensity=_candela(far))
    x, y = _box(board, "spot")
    _light(
        board,
        "spot",
        "spot",
        (x, y, BACK_Z + NEAR),
        intensity=_candela(NEAR),
        inner_cone_rad=CONE,
        outer_cone_rad=WIDE,
    )
    for key, radius in (("post", 0.0), ("ballpost", 0.03)):
        x, y = _box(board, key)
        board.put(
            key, panel(0.06), board.material(key, base_color=(0.1,) * 3), compose((x, y, BACK_Z + 0.08))
        )
        at = (x - 0.06, y + 0.06, BACK_Z + NEAR)
        _light(board, key, "point", at, intensity=_candela(NEAR), radius_m=radius)
    for kind, share in (("rectangle", 1.0), ("disc", math.pi / 4)):
        x, y = _box(board, kind)
        side = 0.08
        nit = _candela(NEAR) / (side * side * share)
        _light(board, kind, kind, (x, y, BACK_Z + NEAR), intensity=nit, width_m=side, height_m=side)
    x, y = _box(board, "colored")
    _light(
        board,
        "colored",
        "point",
        (x, y, BACK_Z + 0.14),
        intensity=_candela(0.14),
        color=(1.0, 0.5, 0.2),
    )
    return board.done()


def _light(board: Builder, key: str, kind: str, at: tuple[float, float, float], **fields: Any) -> None:
    """A lamp that shines straight at the back of its box."""
    board.light(key, kind, at, (at[0], at[1], BACK_Z), **fields)


def cell_place_of(key: str) -> tuple[float, float]:
    """The middle of a box."""
    return cell_place(*lamps().cells[key])


def _candela(far: float) -> float:
    """What lights a white sheet with :data:`NIT` so far away: E = I / d^2, L = rho E / pi."""
    return NIT * math.pi / WHITE * far * far


def _box(board: Builder, key: str) -> tuple[float, float]:
    """A light back between dark walls that keep the light of a box in it."""
    x, y = board.cell(key, _PLACES[key])
    dark, half = board.material(key, double_sided=True, base_color=(0.01,) * 3), 0.17
    board.panel(key, board.material(key, base_color=(WHITE,) * 3), x, y, side=2 * half, z=BACK_Z)
    depth = -BACK_Z
    for turn, at in (
        ((0.0, 0.7071067811865476, 0.0, 0.7071067811865476), (x - half, y)),
        ((0.0, -0.7071067811865476, 0.0, 0.7071067811865476), (x + half, y)),
        ((0.7071067811865476, 0.0, 0.0, 0.7071067811865476), (x, y + half)),
        ((-0.7071067811865476, 0.0, 0.0, 0.7071067811865476), (x, y - half)),
    ):
        scale = (depth, 2 * half, 1.0) if turn[1] else (2 * half, depth, 1.0)
        board.put(key, panel(1.0), dark, compose((*at, BACK_Z + depth / 2), turn, scale))
    return x, y
