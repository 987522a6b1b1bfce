"""Strengths of light from one unit to another, each by its definition (CIE S 017, ILV) and the shape of what shines.

The neutral scene has lux for suns, candela for points and spots, nit for areas.
"""

from __future__ import annotations

import math

LUMENS_A_WATT = 683.0
"""Luminous efficacy at 540 THz, by the definition of the candela; lamps are far below it, so an efficacy can be given."""


def candela_of_lumen(lumen: float, outer_cone_rad: float | None = None) -> float:
    """Luminous intensity of a point that shines evenly all round, or of a spot that shines evenly into its cone: flux over solid angle."""
    solid = 4 * math.pi if outer_cone_rad is None else 2 * math.pi * (1 - math.cos(min(max(outer_cone_rad, 1e-4), math.pi)))
    return lumen / solid


def lumen_of_candela(candela: float, outer_cone_rad: float | None = None) -> float:
    """The inverse of :func:`candela_of_lumen`."""
    return candela / candela_of_lumen(1.0, outer_cone_rad)


def lumen_of_watt(watt: float, efficacy: float = LUMENS_A_WATT) -> float:
    """Luminous flux of radiant flux."""
    return watt * efficacy


def nit_of_lumen(lumen: float, area_m2: float) -> float:
    """Luminance of a surface that shines by Lambert's law from one side: flux over pi times its area."""
    return lumen / (math.pi * max(area_m2, 1e-12))


def lumen_of_nit(nit: float, area_m2: float) -> float:
    """The inverse of :func:`nit_of_lumen`."""
    return nit * math.pi * area_m2


def lux_of_candela(candela: float, distance_m: float) -> float:
    """Illuminance facing a point: the inverse square."""
    return candela / (distance_m * distance_m)


def nit_of_lux(lux: float, angle_rad: float) -> float:
    """Luminance of a disc seen at a whole angle that gives an illuminance facing it: E = pi L sin^2(a / 2)."""
    return lux / (math.pi * math.sin(max(angle_rad, 1e-6) / 2) ** 2)


def area_of(kind: str, width_m: float, height_m: float) -> float:
    """Square metres of a rectangle, or of a disc whose diameter is its width."""
    return width_m * height_m if kind == "rectangle" else math.pi * (width_m / 2) ** 2
