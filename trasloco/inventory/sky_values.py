"""What decisions about the surroundings may say."""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import date
from typing import Any

_DAYLIGHT = {"latitude": (-90, 90), "longitude": (-180, 180), "hour": (0, 24), "offset_h": (-14, 14), "haze": (1.7, 10)}
_PANEL = {"azimuth_deg": (-360, 360), "height_deg": (-90, 90), "width_deg": (0.5, 170), "tall_deg": (0.5, 170), "soft": (0, 1), "nit": (0, 1e9)}
MOST_PANELS = 24
_STAND = {"azimuth_deg": (-360, 360), "height_deg": (-90, 90), "distance_m": (1e-3, 1e6)}
_LAMP = {**_STAND, "intensity": (0, 1e9), "width_m": (1e-4, 1e4), "height_m": (1e-4, 1e4)}
_LAMPS = ("sun", "point", "spot", "rectangle", "disc")
_BACKDROP = {"nit": (0, 1e9), "turn_rad": (-100, 100)}


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


def _numbers_within(value: Any, spans: Mapping[str, tuple[float, float]], more: set[str]) -> bool:
    return isinstance(value, dict) and set(value) <= {*spans, *more} and all(_within(value[key], *span) for key, span in spans.items() if key in value)


def _is_color(value: Any) -> bool:
    return isinstance(value, list | tuple) and len(value) == 3 and all(_within(v, 0, 1e6) for v in value)


def is_stand_value(value: Any) -> bool:
    """Nothing, or where a light stands round the subject."""
    return value is None or (_numbers_within(value, _STAND, set()) and bool(value))


def is_lamp_value(value: Any) -> bool:
    """Nothing, or a light with a kind, its numbers in their range."""
    return value is None or (_numbers_within(value, _LAMP, {"kind", "name"}) and value.get("kind") in _LAMPS and isinstance(value.get("name", ""), str) and len(value.get("name", "")) <= 100)


def is_backdrop_value(value: Any) -> bool:
    """Nothing, a colour and its luminance, or an image's id."""
    return value is None or (_numbers_within(value, _BACKDROP, {"color", "image"}) and _is_color(value.get("color", (0, 0, 0))) and isinstance(value.get("image", ""), str))


def is_matters_value(value: Any) -> bool:
    """Nothing, a camera's id, or a part's with the metres around it."""
    return value is None or (isinstance(value, dict) and ((set(value) == {"camera"} and isinstance(value["camera"], str)) or (set(value) == {"part", "around_m"} and isinstance(value["part"], str) and _within(value["around_m"], 0, 1e6))))


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
        if not _is_color(one.get("color", [1, 1, 1])):
            return False
    return True
