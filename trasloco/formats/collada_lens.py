"""How a COLLADA camera tells its angle."""

from __future__ import annotations

import math


def angle_of(given: dict[str, float]) -> tuple[float, float | None]:
    """The vertical angle in radians and the aspect ratio of a lens told by any two of both angles and it."""
    aspect = given.get("aspect_ratio")
    if "yfov" not in given:
        across = math.tan(math.radians(given.get("xfov", 45.0)) / 2)
        return 2 * math.atan(across / (aspect or 16 / 9)), aspect
    yfov = math.radians(given["yfov"])
    if "xfov" in given and aspect is None:
        aspect = math.tan(math.radians(given["xfov"]) / 2) / max(math.tan(yfov / 2), 1e-9)
    return yfov, aspect
