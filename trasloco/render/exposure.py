"""Exposure and the one tone curve: radiance as it is shown."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from trasloco.scene.color import linear_to_srgb, luminance

Floats = npt.NDArray[np.float32]
WHITE_POINT = 4.0


def ev100_of(f_stop: float, shutter_s: float, iso: float) -> float:
    """EV100 of a camera's settings: log2 of N^2 / t, less log2 of ISO / 100 (ISO 2720)."""
    return math.log2(f_stop**2 / shutter_s) - math.log2(iso / 100)


SATURATION = 1.2
"""Radiance by 2^EV100 that saturates (ISO 12232 saturation-based speed)."""


def ev100_of_stops(stops: float) -> float:
    """EV100 of an exposure told as stops that radiance is multiplied by before it saturates at 1."""
    return -stops - math.log2(SATURATION)


def exposed(radiance: Floats, ev100: float) -> Floats:
    """Radiance in nit to values where 1 is the saturation level: L / (1.2 * 2^EV100) (ISO 12232
    saturation-based speed).
    """
    return np.asarray(radiance / np.float32(SATURATION * 2.0**ev100), np.float32)


def tone_curve(value: Floats) -> Floats:
    """Extended Reinhard on luminance (Reinhard et al. 2002, equation 4), white at 4 times saturation; linear
    [0, 1] out.

    The colour keeps its hue by scaling all channels with the luminance; what still exceeds 1 is clipped.
    """
    light = np.maximum(luminance(value), 1e-9)
    mapped = light * (1 + light / WHITE_POINT**2) / (1 + light)
    return np.clip(value * (mapped / light)[..., None], 0, 1).astype(np.float32)


def untoned(display: Floats) -> Floats:
    """The values (..., 3) that :func:`tone_curve` shows as these, linear in [0, 1]: its inverse where nothing is
    clipped, y = l (1 + l / W^2) / (1 + l) solved for the l that is not negative.
    """
    y = np.clip(np.asarray(display, np.float64), 0, 1)
    shown = np.maximum(luminance(y), 1e-9)
    b = 1 - shown
    light = WHITE_POINT**2 * (-b + np.sqrt(b * b + 4 * shown / WHITE_POINT**2)) / 2
    return np.asarray(y * (light / shown)[..., None], np.float32)


def displayed(radiance: Floats, ev100: float) -> npt.NDArray[np.uint8]:
    """8-bit sRGB picture of radiance in nit."""
    return np.asarray(np.round(linear_to_srgb(tone_curve(exposed(radiance, ev100))) * 255), np.uint8)


def auto_ev100(radiance: Floats) -> float:
    """EV100 a reflected-light meter reads from a reference picture, log-average luminance x 100 / 12.5 (ISO
    2720); both sides then use it.
    """
    light = luminance(radiance)
    lit = light[light > 1e-6]
    mean = math.exp(float(np.log(lit).mean())) if lit.size else 1.0
    return round(math.log2(max(mean, 1e-6) * 8), 1)
