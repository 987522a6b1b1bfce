"""A daylight sky from place, date, time and haze, as a picture and a sun: Preetham, Shirley and Smits, "A
practical analytic model for daylight" (SIGGRAPH 1999).

Directions: north is -Z, east is +X. The picture is in nit, so its level is 1.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.light.kelvin import REC709_OF_XYZ
from trasloco.light.surroundings import directions, illuminance

Floats = npt.NDArray[np.float32]
SUN_WIDTH_RAD = math.radians(0.533)
EXTRATERRESTRIAL_LUX = 128_000.0
"""Solar illuminance outside the atmosphere (IES Lighting Handbook)."""
_WAVELENGTHS_UM = np.array([0.61, 0.55, 0.465])
"""What stands for red, green and blue in the sun's way through the air."""
GROUND_ALBEDO = 0.2


@dataclass(frozen=True)
class Moment:
    """When and where.

    Latitude and longitude in degrees, north and east positive; ``hour`` by the clock, ``offset_h`` ahead of
    Greenwich; ``haze`` is turbidity, 2 clear to 10 hazy.
    """

    latitude: float
    longitude: float
    day: date
    hour: float
    offset_h: float = 0.0
    haze: float = 3.0


def moment_of(told: Mapping[str, Any]) -> Moment:
    """A moment as it is decided: its day as YYYY-MM-DD, offset and haze usual where they are unsaid."""
    return Moment(**{**told, "day": date.fromisoformat(told["day"])})


def sun_towards(moment: Moment) -> npt.NDArray[np.float64]:
    """Unit direction (3,) to the sun (appendix A.6 of the paper: solar time, declination, and the two
    angles).
    """
    number = moment.day.timetuple().tm_yday
    meridian, longitude, latitude = (
        math.radians(15 * moment.offset_h),
        math.radians(moment.longitude),
        math.radians(moment.latitude),
    )
    solar = (
        moment.hour
        + 0.170 * math.sin(4 * math.pi * (number - 80) / 373)
        - 0.129 * math.sin(2 * math.pi * (number - 8) / 355)
        + 12 * (longitude - meridian) / math.pi
    )
    declination = 0.4093 * math.sin(2 * math.pi * (number - 81) / 368)
    angle = math.pi * (solar - 12) / 12
    up = math.sin(latitude) * math.sin(declination) + math.cos(latitude) * math.cos(declination) * math.cos(
        angle
    )
    east = -math.cos(declination) * math.sin(angle)
    north = math.cos(latitude) * math.sin(declination) - math.sin(latitude) * math.cos(
        declination
    ) * math.cos(angle)
    return np.array([east, up, -north]) / math.sqrt(east**2 + up**2 + north**2)


def sun_lux(height_rad: float, haze: float) -> npt.NDArray[np.float64]:
    """Illuminance (3,) rgb in lux facing the sun: what Rayleigh scattering and aerosols leave of it (appendix
    A.1 of the paper).
    """
    zenith = math.degrees(math.pi / 2 - height_rad)
    mass = 1 / (math.cos(math.radians(zenith)) + 0.15 * (93.885 - zenith) ** -1.253)
    rayleigh = np.exp(-0.008735 * _WAVELENGTHS_UM**-4.08 * mass)
    aerosol = np.exp(-(0.04608 * haze - 0.04586) * _WAVELENGTHS_UM**-1.3 * mass)
    return np.asarray(EXTRATERRESTRIAL_LUX * rayleigh * aerosol, np.float64)


_PEREZ = {
    "Y": np.array(
        [[0.1787, -1.4630], [-0.3554, 0.4275], [-0.0227, 5.3251], [0.1206, -2.5771], [-0.0670, 0.3703]]
    ),
    "x": np.array(
        [[-0.0193, -0.2592], [-0.0665, 0.0008], [-0.0004, 0.2125], [-0.0641, -0.8989], [-0.0033, 0.0452]]
    ),
    "y": np.array(
        [[-0.0167, -0.2608], [-0.0950, 0.0092], [-0.0079, 0.2102], [-0.0441, -1.6537], [-0.0109, 0.0529]]
    ),
}
_ZENITH_X = np.array(
    [
        [0.00166, -0.00375, 0.00209, 0.0],
        [-0.02903, 0.06377, -0.03202, 0.00394],
        [0.11693, -0.21196, 0.06052, 0.25886],
    ]
)
_ZENITH_Y = np.array(
    [
        [0.00275, -0.00610, 0.00317, 0.0],
        [-0.04214, 0.08970, -0.04153, 0.00516],
        [0.15346, -0.26756, 0.06670, 0.26688],
    ]
)


def _perez(which: str, haze: float, theta: Any, gamma: Any) -> Any:
    a, b, c, d, e = _PEREZ[which] @ np.array([haze, 1.0])
    return (1 + a * np.exp(b / np.maximum(np.cos(theta), 0.01))) * (
        1 + c * np.exp(d * gamma) + e * np.cos(gamma) ** 2
    )


def zenith_nit(sun_zenith_rad: float, haze: float) -> float:
    """Luminance straight above, appendix A.2."""
    chi = (4 / 9 - haze / 120) * (math.pi - 2 * sun_zenith_rad)
    return 1000 * ((4.0453 * haze - 4.9710) * math.tan(chi) - 0.2155 * haze + 2.4192)


def sky_radiance(looks: npt.NDArray[np.float64], sun: npt.NDArray[np.float64], haze: float) -> Floats:
    """Radiance (..., 3) in nit of the sky in directions above the horizon, appendix A.2: Perez' distribution
    of luminance and chromaticity.
    """
    theta = np.arccos(np.clip(looks[..., 1], 0, 1))
    gamma = np.arccos(np.clip(looks @ sun, -1, 1))
    high = math.acos(float(np.clip(sun[1], 0, 1)))
    powers, hazes = np.array([high**3, high**2, high, 1.0]), np.array([haze**2, haze, 1.0])
    zenith = {
        "Y": zenith_nit(high, haze),
        "x": float(hazes @ _ZENITH_X @ powers),
        "y": float(hazes @ _ZENITH_Y @ powers),
    }
    found = {k: zenith[k] * _perez(k, haze, theta, gamma) / _perez(k, haze, 0.0, high) for k in zenith}
    light, x, y = np.maximum(found["Y"], 0), found["x"], np.maximum(found["y"], 1e-3)
    xyz = np.stack([light * x / y, light, light * (1 - x - y) / y], axis=-1)
    return np.asarray(np.maximum(xyz @ REC709_OF_XYZ.T, 0), np.float32)


@dataclass(frozen=True)
class Daylight:
    """A sky without its sun, (H, W, 3) in nit, and the sun: direction to it (3,) and illuminance facing it
    (3,) rgb in lux.
    """

    picture: Floats
    towards: npt.NDArray[np.float64]
    lux: npt.NDArray[np.float64]


def daylight(moment: Moment, height: int = 256) -> Daylight:
    """The sky of a moment; below the horizon a grey ground that sends back a fifth of what falls on it.

    Raises:
        Refused: the sun is down then, or too low for the model.
    """
    sun = sun_towards(moment)
    if sun[1] < math.sin(math.radians(1.0)):
        raise Refused(
            "The sun is down at that place and time.",
            f"{moment.day.isoformat()}, {int(moment.hour)}:{int(moment.hour % 1 * 60):02}",
            "Choose an hour of the day.",
        )
    looks = directions(height, 2 * height)
    picture = np.where(looks[..., 1:2] > 0, sky_radiance(looks, sun, moment.haze), 0).astype(np.float32)
    lux = sun_lux(math.asin(float(sun[1])), moment.haze)
    ground = illuminance(picture, np.array([0.0, 1.0, 0.0])) + lux * sun[1]
    picture[looks[..., 1] <= 0] = (GROUND_ALBEDO / math.pi * ground).astype(np.float32)
    return Daylight(picture, sun, lux)
