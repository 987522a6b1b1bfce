"""Mends of what surrounds a scene, and of light that came along written down."""

from __future__ import annotations

from datetime import date
from typing import Any

from trasloco.light.daylight import Moment
from trasloco.light.painting import under_daylight, with_environment_panels, with_tilt, with_tint
from trasloco.light.panels import Panel
from trasloco.light.received import with_received_light
from trasloco.light.surroundings import sun_taken_out
from trasloco.scene.model import Scene


def sun_out(scene: Scene, target: str, value: Any) -> Scene:
    """The sun of the environment as a light of its own."""
    return sun_taken_out(scene) if value is True and target == "environment" else scene


def daylight(scene: Scene, target: str, value: Any) -> Scene:
    """A daylight sky in place of what was there.

    Raises:
        Refused: the sun is down then.
    """
    if value is None or target != "environment":
        return scene
    told = dict(value)
    return under_daylight(scene, Moment(float(told["latitude"]), float(told["longitude"]), date.fromisoformat(told["day"]), float(told["hour"]), float(told.get("offset_h", 0)), float(told.get("haze", 3))))


def panels(scene: Scene, target: str, value: Any) -> Scene:
    """Soft panels and discs on the sphere."""
    if not value or target != "environment":
        return scene
    return with_environment_panels(scene, [Panel(**{**one, "color": tuple(one.get("color", (1, 1, 1)))}) for one in value])


def received_light(scene: Scene, target: str, value: Any) -> Scene:
    """A part's light read from an image that came along."""
    return with_received_light(scene, target, str(value["image"]), float(value["lux"])) if value else scene


def tilt(scene: Scene, target: str, value: Any) -> Scene:
    return with_tilt(scene, float(value)) if target == "environment" else scene


def tint(scene: Scene, target: str, value: Any) -> Scene:
    return with_tint(scene, [float(v) for v in value]) if target == "environment" and value is not None else scene
