"""Mends of what surrounds a scene, and of light that came along written down."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from trasloco.errors import Refused
from trasloco.light.daylight import moment_of
from trasloco.light.painting import under_daylight, with_environment_panels, with_tilt, with_tint
from trasloco.light.panels import panels_of
from trasloco.light.received import with_multiplied_light, with_painted_light, with_received_light
from trasloco.light.surroundings import sun_taken_out
from trasloco.scene.lit import Environment
from trasloco.scene.model import Scene


def sun_out(scene: Scene, target: str, value: Any) -> Scene:
    """The sun of the environment as a light of its own."""
    return sun_taken_out(scene) if value is True and target == "environment" else scene


def picture(scene: Scene, target: str, value: Any) -> Scene:
    """Another picture of the delivery all round, at one nit for a value of one, or nothing (an empty id).

    Raises:
        Refused: there is no such picture, or it holds no light: its values end at white.
    """
    if value is None or target != "environment":
        return scene
    if not value:
        return replace(scene, environment=None)
    image = scene.images.get(str(value))
    if image is None or not image.usable or not image.floating:
        raise Refused(
            "There is no such picture to light with.",
            image.name if image is not None else str(value),
            "Choose a latitude-longitude EXR or HDR, or take this decision back.",
        )
    return replace(scene, environment=Environment(image.id, 1.0, 0.0))


def daylight(scene: Scene, target: str, value: Any) -> Scene:
    """A daylight sky in place of what was there.

    Raises:
        Refused: the sun is down then.
    """
    return under_daylight(scene, moment_of(value)) if value is not None and target == "environment" else scene


def panels(scene: Scene, target: str, value: Any) -> Scene:
    """Soft panels and discs on the sphere."""
    return with_environment_panels(scene, panels_of(value)) if target == "environment" else scene


def received_light(scene: Scene, target: str, value: Any) -> Scene:
    """A part's light read from an image that came along; a material's, from what multiplies its colour or
    from its vertex colours.
    """
    if not value:
        return scene
    lux = float(value["lux"])
    if target in scene.materials:
        return (
            with_painted_light(scene, target, lux)
            if value.get("paint")
            else with_multiplied_light(scene, target, lux)
        )
    return with_received_light(scene, target, str(value.get("image", "")), lux)


def tilt(scene: Scene, target: str, value: Any) -> Scene:
    return with_tilt(scene, float(value)) if target == "environment" else scene


def tint(scene: Scene, target: str, value: Any) -> Scene:
    return (
        with_tint(scene, [float(v) for v in value])
        if target == "environment" and value is not None
        else scene
    )
