"""What every board has of its own: steps of known glow, by which pictures of one program are held together."""

from __future__ import annotations

import numpy as np

from trasloco.gauge.build import Builder

LOWEST, HIGHEST, STEPS = -9.0, 7.0, 24
"""The tone ramp: glow in nit as powers of two, and how many steps there are between them."""
REFERENCE = (0.02, 0.09, 0.36, 1.0)
"""Glow in nit of the four steps that every board has."""
PATCH, APART = 0.135, 0.0775
"""The side of one of four patches in a cell, and how far its middle lies from the cell's."""
PER_CELL = 4
SUN = (-0.35, 0.55, 0.75)
"""Where the sun stands, seen from a board."""
SUN_COS = SUN[2] / float(np.linalg.norm(SUN))
SUN_LUX = float(np.pi / SUN_COS)
"""A white sheet on the board shines with one nit in it."""


def ramp_values() -> list[float]:
    """Glow of the tone ramp in nit, in the order in which it stands: bright and dark ones side by side, so
    that a picture that is darker towards one side does not look like a curve.
    """
    values = 2.0 ** np.linspace(LOWEST, HIGHEST, STEPS)
    return [float(values[(7 * k) % STEPS]) for k in range(STEPS)]


def corner(k: int) -> tuple[float, float]:
    """Where the k-th of four patches lies against the middle of its cell."""
    return (APART if k % 2 else -APART), (-APART if k // 2 else APART)


def glow(board: Builder, cell: str, nit: tuple[float, float, float], strength: float | None = None) -> str:
    """A material that glows: by its colour up to one, by its strength beyond."""
    over = max(max(nit), 1.0) if strength is None else strength
    return board.material(cell, emission=tuple(v / over for v in nit), emission_strength=(over,))


def glowing_steps(board: Builder, prefix: str, values: list[float]) -> None:
    """Cells of four patches that glow."""
    for start in range(0, len(values), PER_CELL):
        key = f"{prefix}{start // PER_CELL + 1}"
        x, y = board.cell(key)
        for k, nit in enumerate(values[start : start + PER_CELL]):
            right, up = corner(k)
            board.panel(key, glow(board, key, (nit,) * 3), x + right, y + up, PATCH)


def reference_steps(board: Builder) -> None:
    glowing_steps(board, "step", list(REFERENCE))


def sunlight(board: Builder) -> None:
    board.light("sun", "sun", np.multiply(SUN, 4.0), (0, 0, 0), intensity=SUN_LUX)
