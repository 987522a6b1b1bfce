"""Skies and rooms that ship: what a scene can be judged in without a picture of its own. Skies come from the
daylight model, rooms are panels in the dark.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

_PLACE = {"latitude": 45.4, "longitude": 12.3, "day": "2026-06-21", "offset_h": 2.0}
_WARM, _COOL = [1.0, 0.72, 0.46], [0.78, 0.88, 1.0]
FRONT_DEG = 180.0
"""The azimuth from which the front of a subject is lit: it looks towards +Z."""


@dataclass(frozen=True)
class Lit:
    """A sky or a room by name: the values of the decisions ``daylight`` and ``panels`` that make it."""

    name: str
    kind: str
    daylight: Mapping[str, Any] | None = None
    panels: tuple[Mapping[str, Any], ...] = field(default=())


def _sky(name: str, hour: float, haze: float = 2.5) -> Lit:
    return Lit(name, "sky", {**_PLACE, "hour": hour, "haze": haze})


def _panel(
    azimuth: float, height: float, width: float, tall: float, nit: float, color: list[float] | None = None
) -> Mapping[str, Any]:
    return {
        "azimuth_deg": FRONT_DEG + azimuth,
        "height_deg": height,
        "width_deg": width,
        "tall_deg": tall,
        "nit": nit,
        "soft": 0.3,
        "shape": "panel",
        "color": color or [1.0, 1.0, 1.0],
    }


ROOMS: tuple[Lit, ...] = (
    _sky("High summer noon", 13.2),
    _sky("Low evening sun", 20.0, 3.5),
    _sky("Hazy morning", 8.5, 7.0),
    Lit("White tent", "room", panels=(_panel(0, 90, 170, 170, 400.0), _panel(0, 20, 150, 70, 250.0))),
    Lit("Window from the left", "room", panels=(_panel(-75, 20, 45, 55, 1500.0, _COOL),)),
    Lit(
        "Three panels",
        "room",
        panels=(
            _panel(-45, 40, 40, 40, 2200.0),
            _panel(50, 15, 60, 45, 450.0),
            _panel(165, 50, 25, 60, 2600.0, _COOL),
        ),
    ),
    Lit("Low row in the dark", "room", panels=(_panel(0, 6, 130, 12, 1200.0, _WARM),)),
)
