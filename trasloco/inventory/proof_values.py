"""What a proof is asked for, as values of decisions: views that were framed and kept, the limits of the verdict words."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

import numpy as np


def is_views_value(value: Any) -> bool:
    """Whether a value can be kept views: a list of names, 16 numbers row by row from camera to world, and an angle."""
    return isinstance(value, list) and len(value) <= 24 and all(_is_view(one) for one in value)


def _is_view(said: Any) -> bool:
    if not isinstance(said, Mapping) or not isinstance(said.get("name"), str) or not 0 < len(said["name"].strip()) <= 80:
        return False
    numbers = said.get("matrix")
    if not isinstance(numbers, list) or len(numbers) != 16 or not all(isinstance(v, int | float) and not isinstance(v, bool) and math.isfinite(v) and abs(v) < 1e7 for v in numbers):
        return False
    rest = [said.get("yfov_rad"), said.get("lens_radius_m", 0), said.get("focus_m", 1), said.get("time_s", 0)]
    if not all(isinstance(v, int | float) and not isinstance(v, bool) and math.isfinite(v) and v >= 0 for v in rest):
        return False
    matrix = np.array(numbers, np.float64).reshape(4, 4)[:3, :3]
    return 0.01 <= said["yfov_rad"] <= 3 and said.get("focus_m", 1) > 0 and abs(np.linalg.det(matrix)) > 1e-9 and all(isinstance(said.get(k, ""), str) for k in ("clip", "environment"))


def is_limits_value(value: Any) -> bool:
    """Whether a value can be the limits of *not seen*, *hardly seen* and *seen when compared*: three rising numbers above zero, or nothing."""
    return value is None or (isinstance(value, list) and len(value) == 3 and all(isinstance(v, int | float) and not isinstance(v, bool) and 0 < v <= 100 for v in value) and value[0] < value[1] < value[2])
