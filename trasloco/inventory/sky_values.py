"""What decisions about the surroundings may say."""

from __future__ import annotations

import math
from datetime import date
from typing import Any

_DAYLIGHT = {"latitude": (-90, 90), "longitude": (-180, 180), "hour": (0, 24), "offset_h": (-14, 14), "haze": (1.7, 10)}
_PANEL = {"azimuth_deg": (-360, 360), "height_deg": (-90, 90), "width_deg": (0.5, 170), "tall_deg": (0.5, 170), "soft": (0, 1), "nit": (0, 1e9)}
MOST_PANELS = 24


def _within(value: Any, low: float, high: float) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value) and low <= value <= high


def is_daylight_value(value: Any) -> bool:
    """Nothing, or a place, a day and an hour, with the clock's offset and the haze."""
    if value is None:
        return True
    if not isinstance(value, dict) or not {"latitude", "longitude", "day", "hour"} <= set(value) <= {*_DAYLIGHT, "day"}:
        return False
    try:
        date.fromisoformat(value["day"])
    except (TypeError, ValueError):
        return False
    return all(_within(value[key], *span) for key, span in _DAYLIGHT.items() if key in value)


def is_panels_value(value: Any) -> bool:
    """Nothing, or a list of panels, each with numbers in their range, a shape and a colour."""
    if value is None:
        return True
    if not isinstance(value, list) or len(value) > MOST_PANELS:
        return False
    for one in value:
        if not isinstance(one, dict) or not set(one) <= {*_PANEL, "shape", "color"} or one.get("shape", "panel") not in ("panel", "disc"):
            return False
        if not all(_within(one[key], *span) for key, span in _PANEL.items() if key in one):
            return False
        color = one.get("color", [1, 1, 1])
        if not isinstance(color, list | tuple) or len(color) != 3 or not all(_within(v, 0, 1e6) for v in color):
            return False
    return True
