"""Strength of a light in other units, each by its definition.

The neutral scene holds candela for points and spots, lux for suns, nit for surfaces. Luminous flux is the
integral of intensity over the
directions a light shines into; watts of visible light follow by the luminous efficacy of the light's colour,
or one that is stated.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal

import numpy as np

from trasloco.errors import Refused
from trasloco.scene.lit import Light
from trasloco.scene.model import Doubles

Unit = Literal["cd", "lm", "W", "lx", "nit"]
EFFICACY_LM_W = 179.0
"""Luminous efficacy of equal-energy white light between 380 and 780 nm."""
UNITS: dict[str, tuple[Unit, ...]] = {
    "sun": ("lx",),
    "point": ("cd", "lm", "W"),
    "spot": ("cd", "lm", "W"),
    "rectangle": ("nit", "lm", "W"),
    "disc": ("nit", "lm", "W"),
}
"""Units that mean something for each kind, its own first."""


def area_m2(light: Light) -> float:
    """Of a rectangle, or of a disc by its diameter."""
    return light.width_m * light.height_m if light.kind == "rectangle" else math.pi * (light.width_m / 2) ** 2


def solid_angle(light: Light) -> float:
    """Steradians that a point or spot fills with its full intensity: 4 pi, or the integral of the spot's
    fall-off (KHR_lights_punctual: squared, linear in the cosine between its cones).
    """
    if light.kind == "point":
        return 4 * math.pi
    inner, outer = math.cos(min(light.inner_cone_rad, light.outer_cone_rad)), math.cos(light.outer_cone_rad)
    return 2 * math.pi * ((1 - inner) + (inner - outer) / 3)


def cone_share(cosine: Doubles, inner_rad: float, outer_rad: float) -> Doubles:
    """The share of its intensity that a spot sends in directions by the cosine of their angle to its axis: the
    square of how far that lies between both cones (KHR_lights_punctual).
    """
    inner, outer = math.cos(inner_rad), math.cos(outer_rad)
    return np.asarray(np.clip((cosine - outer) / max(inner - outer, 1e-4), 0, 1) ** 2)


def flux_lm(light: Light) -> float:
    """Luminous flux in lumen: candela times steradians, or pi times luminance times area for a surface that
    looks equally bright from everywhere.

    Raises:
        Refused: a sun has none; it lights everything.
    """
    if light.kind == "sun":
        raise Refused("A sun has no flux of its own.", light.name, "Give its illuminance in lux.")
    return light.intensity * (
        math.pi * area_m2(light) if light.kind in ("rectangle", "disc") else solid_angle(light)
    )


def in_unit(light: Light, unit: Unit, efficacy: float = EFFICACY_LM_W) -> float:
    """The light's strength in a unit.

    Raises:
        Refused: the unit means nothing for this kind of light.
    """
    if unit not in UNITS[light.kind]:
        raise Refused(
            f"{unit} means nothing for a {light.kind}.", light.name, f"Use {', '.join(UNITS[light.kind])}."
        )
    if unit == "lm":
        return flux_lm(light)
    if unit == "W":
        return flux_lm(light) / efficacy
    return light.intensity


def from_unit(light: Light, value: float, unit: Unit, efficacy: float = EFFICACY_LM_W) -> float:
    """The intensity, in the light's own unit, that ``value`` of a unit stands for.

    Raises:
        Refused: as :func:`in_unit`.
    """
    return value / in_unit(replace(light, intensity=1.0), unit, efficacy)
