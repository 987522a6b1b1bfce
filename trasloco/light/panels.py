"""What is painted onto an environment: soft panels and discs for studio light, a tilt, a tint."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.light.surroundings import directions
from trasloco.scene.color import LUMINANCE

Floats = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Panel:
    """A soft light on the sphere.

    Attributes:
        azimuth_deg: from -Z towards +X. height_deg: above the horizon. width_deg, tall_deg: whole angles that
            it is seen at. shape: ``panel`` or ``disc``.
        soft: share of its half size over which its edge fades. nit: luminance. color: linear rgb, scaled so
            that its luminance is 1.
    """

    azimuth_deg: float = 0.0
    height_deg: float = 45.0
    width_deg: float = 30.0
    tall_deg: float = 20.0
    shape: str = "panel"
    soft: float = 0.2
    nit: float = 1000.0
    color: tuple[float, float, float] = (1.0, 1.0, 1.0)


def panels_of(told: Sequence[Mapping[str, Any]] | None) -> list[Panel]:
    """Panels as they are decided; what is unsaid is usual."""
    return [Panel(**{**one, "color": tuple(one.get("color", (1.0, 1.0, 1.0)))}) for one in told or ()]


def direction_of(azimuth_deg: float, height_deg: float) -> npt.NDArray[np.float64]:
    """Unit direction (3,)."""
    a, h = math.radians(azimuth_deg), math.radians(height_deg)
    return np.array([math.sin(a) * math.cos(h), math.sin(h), -math.cos(a) * math.cos(h)])


def covering(panel: Panel, looks: npt.NDArray[np.float64]) -> Any:
    """How much of a panel is in each direction (..., 3), from 0 to 1: flat on a plane that faces the middle,
    its edge a smooth step.
    """
    forward = direction_of(panel.azimuth_deg, panel.height_deg)
    right = np.array(
        [math.cos(math.radians(panel.azimuth_deg)), 0.0, math.sin(math.radians(panel.azimuth_deg))]
    )
    up = np.cross(right, forward)
    ahead = looks @ forward
    safe = np.where(ahead > 1e-3, ahead, np.inf)
    x = np.abs(looks @ right / safe) / math.tan(math.radians(min(panel.width_deg, 170) / 2))
    y = np.abs(looks @ up / safe) / math.tan(math.radians(min(panel.tall_deg, 170) / 2))
    away = np.sqrt(x**2 + y**2) if panel.shape == "disc" else np.maximum(x, y)
    soft = max(panel.soft, 1e-3)
    step = np.clip((1 - away) / soft, 0, 1)
    return np.where(ahead > 1e-3, step * step * (3 - 2 * step), 0.0)


def with_panels(radiance: Floats, panels: Sequence[Panel], turn_rad: float = 0.0) -> Floats:
    """A picture of radiance (H, W, 3) in nit with panels in front of it; their places are in the world,
    whatever the picture's turn.
    """
    made = radiance.astype(np.float64)
    looks = directions(radiance.shape[0], radiance.shape[1], turn_rad)
    for panel in panels:
        color = (
            np.array(panel.color) / max(float(np.array(panel.color) @ np.array(LUMINANCE)), 1e-6) * panel.nit
        )
        share = covering(panel, looks)[..., None]
        made = made * (1 - share) + color * share
    return made.astype(np.float32)


def tilted(radiance: Floats, tilt_rad: float) -> Floats:
    """The picture turned about +X: what was on the horizon ahead comes to stand ``tilt_rad`` above it.

    Bilinear.
    """
    height, width = radiance.shape[:2]
    x, y, z = np.moveaxis(directions(height, width), -1, 0)
    c, s = math.cos(-tilt_rad), math.sin(-tilt_rad)
    # Where each direction was before.
    y, z = c * y - s * z, s * y + c * z
    row = np.arccos(np.clip(y, -1, 1)) / math.pi * height - 0.5
    column = (np.arctan2(x, -z) / (2 * math.pi) + 0.5) * width - 0.5
    r0, c0 = np.floor(row).astype(int), np.floor(column).astype(int)
    fr, fc = (row - r0)[..., None], (column - c0)[..., None]
    rows = [np.clip(r0 + k, 0, height - 1) for k in (0, 1)]
    columns = [(c0 + k) % width for k in (0, 1)]
    top = radiance[rows[0], columns[0]] * (1 - fc) + radiance[rows[0], columns[1]] * fc
    low = radiance[rows[1], columns[0]] * (1 - fc) + radiance[rows[1], columns[1]] * fc
    return np.asarray(top * (1 - fr) + low * fr, np.float32)
