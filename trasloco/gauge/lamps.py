"""The third board: boxes with one lamp each, whose light on the boxes' backs tells its strength, how it falls off
and what its angles mean.
"""

from __future__ import annotations

import math
from functools import cache

from trasloco.gauge.build import WALL_Z, Board, Builder, panel
from trasloco.gauge.layout import cell_place
from trasloco.gauge.steps import reference_steps
from trasloco.scene.transforms import compose

BACK_Z, WHITE, NIT = WALL_Z + 0.02, 0.8, 0.5
"""Where the backs of boxes stand, how light they are, and how brightly a lamp lights one where it is nearest."""
POINTS = {"point1": (0.0, 0.10), "point2": (0.0, 0.16), "graze": (0.1, 0.05)}
"""Points before a back: how far above its middle, and how far from it."""
CONE, WIDE = math.radians(14), math.radians(32)


@cache
def lamps() -> Board:
    board = Builder("lamps", "Lamps", by_hand="No other light: no sun, and black surroundings.")
    reference_steps(board)
    # Candela that light a white sheet with NIT at distance d: E = I / d^2, L = rho E / pi.
    for key, (up, far) in POINTS.items():
        x, y = _box(board, key)
        board.light(key, "point", (x, y + up, BACK_Z + far), (x, y, BACK_Z), intensity=_candela(far))
    far = 0.24
    for key, inner, outer in (("spot", CONE, WIDE), ("spothard", 0.95 * WIDE, WIDE)):
        x, y = _box(board, key)
        board.light(
            key,
            "spot",
            (x, y, BACK_Z + far),
            (x, y, BACK_Z),
            intensity=_candela(far),
            inner_cone_rad=inner,
            outer_cone_rad=outer,
        )
    x, y = _box(board, "post")
    far = 0.2
    board.light("post", "point", (x - 0.06, y + 0.06, BACK_Z + far), (x, y, BACK_Z), intensity=_candela(far))
    post = board.material("post", base_color=(0.1,) * 3)
    board.put("post", panel(0.06), post, compose((x, y, BACK_Z + 0.08)))
    x, y = _box(board, "ballpost")
    board.light(
        "ballpost",
        "point",
        (x - 0.06, y + 0.06, BACK_Z + far),
        (x, y, BACK_Z),
        intensity=_candela(far),
        radius_m=0.03,
    )
    post = board.material("ballpost", base_color=(0.1,) * 3)
    board.put("ballpost", panel(0.06), post, compose((x, y, BACK_Z + 0.08)))
    for key, kind in (("rectangle", "rectangle"), ("disc", "disc")):
        x, y = _box(board, key)
        side, far = 0.08, 0.2
        area = side * side * (math.pi / 4 if kind == "disc" else 1.0)
        board.light(
            key,
            kind,
            (x, y, BACK_Z + far),
            (x, y, BACK_Z),
            intensity=_candela(far) / area,
            width_m=side,
            height_m=side,
        )
    x, y = _box(board, "colored")
    far = 0.16
    board.light(
        "colored",
        "point",
        (x, y, BACK_Z + far),
        (x, y, BACK_Z),
        intensity=_candela(far),
        color=(1.0, 0.5, 0.2),
    )
    return board.done()


def cell_place_of(key: str) -> tuple[float, float]:
    """The middle of a box."""
    return cell_place(*lamps().cells[key])


def _candela(far: float) -> float:
    return NIT * math.pi / WHITE * far * far


def _box(board: Builder, key: str) -> tuple[float, float]:
    """A light back between dark walls that keep the light of a box in it."""
    x, y = board.cell(key)
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
