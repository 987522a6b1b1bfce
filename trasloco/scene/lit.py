"""Lamps, cameras, and what surrounds a scene, as the neutral scene holds them."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

LightKind = Literal["sun", "point", "spot", "rectangle", "disc"]


@dataclass(frozen=True)
class Light:
    """A light in photometric units.

    ``intensity`` is lux for ``sun``, candela for ``point`` and ``spot`` (KHR_lights_punctual), nit for
    ``rectangle`` and ``disc``. Cone angles are half angles
    in radians. It shines along its node's -Z. ``angle_rad`` is the whole angle that a sun is seen at; an area
    light is ``width_m`` (a disc's diameter) by ``height_m``;
    a point with a ``radius_m`` is a ball, equally bright all over.
    A rectangle that is an ``opening`` shines nothing itself: it tells through where the environment comes in,
    so that paths look there first.
    """

    id: str
    name: str
    kind: LightKind
    color: tuple[float, float, float] = (1.0, 1.0, 1.0)
    intensity: float = 1.0
    inner_cone_rad: float = 0.0
    outer_cone_rad: float = 0.7853981633974483
    shadows: bool = True
    enabled: bool = True
    angle_rad: float = 0.0
    width_m: float = 1.0
    height_m: float = 1.0
    radius_m: float = 0.0
    opening: bool = False


@dataclass(frozen=True)
class Camera:
    """A perspective camera looking along its node's -Z. ``yfov_rad`` is the full vertical angle of the frame,
    which is ``aspect`` times as wide as high.

    ``sensor_mm`` is the height of the sensor. With a ``focus_m`` and an ``f_stop`` only that distance is
    sharp. ``shift`` is how far its frame lies right of and below the middle that it looks at, as shares of the
    frame's width and height.
    """

    id: str
    name: str
    yfov_rad: float
    aspect: float | None = None
    znear: float = 0.01
    zfar: float | None = None
    sensor_mm: float = 24.0
    focus_m: float | None = None
    f_stop: float | None = None
    shift: tuple[float, float] = (0.0, 0.0)

    @property
    def focal_mm(self) -> float:
        """Focal length by the sensor and the angle."""
        return self.sensor_mm / 2 / math.tan(self.yfov_rad / 2)

    @property
    def lens_radius_m(self) -> float:
        """Half the opening of the lens: focal length over twice the f-stop; 0 where everything is sharp."""
        return self.focal_mm / 1000 / (2 * self.f_stop) if self.f_stop and self.focus_m else 0.0


@dataclass(frozen=True)
class Backdrop:
    """What stands behind the subject in the environment's place and does not light it: a latitude-longitude
    picture, its level and turn as an environment's.
    """

    image: str
    level: float = 1.0
    turn_rad: float = 0.0


@dataclass(frozen=True)
class Environment:
    """A latitude-longitude picture of radiance.

    ``level`` turns picture values into nit; ``turn_rad`` turns it about +Y.
    """

    image: str
    level: float = 1.0
    turn_rad: float = 0.0


@dataclass(frozen=True)
class Probe:
    """Light at a place, for what moves there: ``lux`` (9, 3), rgb, are the weights of the real spherical
    harmonics up to the second degree (scene/harmonics.py) whose sum is the illuminance by normal.
    """

    position: tuple[float, float, float]
    lux: tuple[tuple[float, float, float], ...]
