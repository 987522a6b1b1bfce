"""A scene's environment made anew: a daylight sky in its place, or its picture tilted, tinted, and hung with
panels; written as a new EXR.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from trasloco.light.daylight import SUN_WIDTH_RAD, Moment, daylight
from trasloco.light.panels import Panel, tilted, with_panels
from trasloco.light.surroundings import DAYLIGHT_SUN, radiance_of
from trasloco.scene.color import luminance
from trasloco.scene.images import encode, identify
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Node, Scene
from trasloco.scene.transforms import looking

Floats = npt.NDArray[np.float32]
PAINTED = "image:environment painted"
_EMPTY_ROWS = 256


def under_daylight(scene: Scene, moment: Moment) -> Scene:
    """The scene under the sky of a moment: its picture as the environment, its sun as a light of its own.
    What surrounded it before goes.

    Raises:
        Refused: the sun is down then.
    """
    sky = daylight(moment)
    lux = float(luminance(sky.lux))
    r, g, b = (float(v / lux) for v in sky.lux)
    light = Light("light:daylight sun", "Daylight sun", "sun", (r, g, b), lux, angle_rad=SUN_WIDTH_RAD)
    matrix = looking(
        list(sky.towards * 10), (0, 0, 0), (0, 1, 0) if abs(sky.towards[1]) < 0.99 else (0, 0, 1)
    )
    image = identify(
        PAINTED, "daylight.exr", "daylight.exr", encode(np.ascontiguousarray(sky.picture), "exr")
    )
    return replace(
        scene,
        images={**scene.images, PAINTED: image},
        environment=Environment(PAINTED, 1.0, 0.0),
        lights={**scene.lights, light.id: light},
        nodes={**scene.nodes, DAYLIGHT_SUN: Node(DAYLIGHT_SUN, "Daylight sun", None, matrix, light=light.id)},
    )


def repainted(scene: Scene, name: str, change: Callable[[Floats, float], Floats]) -> Scene:
    """The environment with its picture of radiance (H, W, 3) in nit changed, which is given its turn as well;
    black where there was none. Level and turn stay.
    """
    given = scene.environment
    image = scene.images.get(given.image) if given is not None else None
    if given is not None and (image is None or not image.usable):
        return scene
    level, turn = (given.level, given.turn_rad) if given is not None else (1.0, 0.0)
    before = (
        radiance_of(image, level)
        if image is not None
        else np.zeros((_EMPTY_ROWS, 2 * _EMPTY_ROWS, 3), np.float32)
    )
    made = change(before, turn)
    level = level if level > 0 else 1.0
    stem = image.name.rsplit(".", 1)[0].removesuffix(f"-{name}") if image is not None else "studio"
    file = f"{stem}-{name}.exr"
    return replace(
        scene,
        images={
            **scene.images,
            PAINTED: identify(
                PAINTED, file, file, encode(np.ascontiguousarray(made / np.float32(level), np.float32), "exr")
            ),
        },
        environment=Environment(PAINTED, level, turn),
    )


def with_environment_panels(scene: Scene, panels: Sequence[Panel]) -> Scene:
    """Soft lights on the sphere, in front of what is there."""
    return (
        repainted(scene, "panels", lambda radiance, turn: with_panels(radiance, panels, turn))
        if panels
        else scene
    )


def with_tilt(scene: Scene, tilt_rad: float) -> Scene:
    """The picture tilted before it is turned."""
    return (
        repainted(scene, "tilted", lambda radiance, turn: tilted(radiance, tilt_rad))
        if tilt_rad and scene.environment is not None
        else scene
    )


def with_tint(scene: Scene, tint: Sequence[float]) -> Scene:
    """The picture multiplied by a colour, linear."""
    return (
        repainted(
            scene,
            "tinted",
            lambda radiance, turn: np.asarray(radiance * np.array(tint, np.float32), np.float32),
        )
        if scene.environment is not None
        else scene
    )
