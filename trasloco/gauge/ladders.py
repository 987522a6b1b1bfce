"""Ladders of alpha: sheets that are seen through, less and less to the right, before one that glows."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

import numpy as np

from trasloco.gauge.build import Builder, image_input
from trasloco.gauge.steps import glow
from trasloco.scene.model import AlphaMode

LADDER, BEHIND = (70, 20, 20), (0.15, 0.5, 0.2)
"""Codes of sheets with alpha, and the glow in nit of what stands behind them."""
ELSEWHERE: Mapping[str, AlphaMode] = MappingProxyType({"cutelse": "mask", "blendedelse": "blend"})
"""Cells whose alpha is in the other of the two places where it may be, and their modes."""
_SIDE = 64


def see_through(board: Builder, modes: Mapping[str, AlphaMode]) -> None:
    """One cell for each key, which asks for its mode."""
    texels = np.empty((_SIDE, _SIDE, 4), np.uint8)
    texels[..., :3] = LADDER
    texels[..., 3] = np.round(np.linspace(0, 255, _SIDE))[None]
    kept = board.image("ladder", texels)
    for key, mode in modes.items():
        x, y = board.cell(key)
        wears = board.material(
            key, mode, base_color=image_input(kept, encoding="srgb"), opacity=image_input(kept, "a")
        )
        board.panel(key, wears, x, y)
        board.panel(key, glow(board, key, BEHIND), x, y, z=-0.03)
