"""The table of material inputs, and what follows from it. Names follow OpenPBR Surface and glTF 2.0."""

from __future__ import annotations

from trasloco.inputs.rows import ROWS
from trasloco.inputs.spec import InputSpec

INPUTS: dict[str, InputSpec] = {row.name: row for row in ROWS}
ORDER: dict[str, int] = {name: place for place, name in enumerate(INPUTS)}
LENGTHS = frozenset(name for name, row in INPUTS.items() if row.length)
VECTORS = frozenset(name for name, row in INPUTS.items() if row.holds == "vector")
SHARES = frozenset(name for name, row in INPUTS.items() if row.share)
DRAWN_IMAGES = tuple(name for name, row in INPUTS.items() if row.drawn == "image")
DRAWN = frozenset(name for name, row in INPUTS.items() if row.drawn)
"""Inputs that the renderer shows; the loss of any other is told, but cannot be measured."""


def company_of(name: str) -> tuple[str, ...]:
    """Inputs that only say more about one."""
    return tuple(other for other, row in INPUTS.items() if row.beside == name)


SCATTERING = ("transmission_scatter", "transmission_scatter_anisotropy")
"""What an inside scatters, by the depth that its colour is told for."""
UNDER_THE_SURFACE = frozenset({"subsurface", *company_of("subsurface")})
NOT_IN_PREVIEW = frozenset({"occlusion", "height", "specular_color"})
"""What a preview surface has a place for and is better without: shading twice, moved points, another
workflow.
"""
