"""Mends of lights: added, moved round the subject, made into openings; and what stands behind the subject."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.light.backdrops import with_backdrop
from trasloco.light.round_subject import aimed_at, moved_to, node_of, usual_stand, with_lamp
from trasloco.scene.color import LUMINANCE
from trasloco.scene.model import Scene


def lamp(scene: Scene, target: str, value: Any) -> Scene:
    """A light that did not come along. None takes it away again."""
    return with_lamp(scene, target, value) if value is not None and target not in scene.lights else scene


def shines(scene: Scene, target: str, value: Any) -> Scene:
    """A lamp of the usual strength where an empty place stands, looking along its -Z. None leaves it empty."""
    node = scene.nodes.get(target)
    if value is None or node is None or node.light is not None or node.mesh is not None:
        return scene
    lit = with_lamp(scene, f"light:{target.partition(':')[2]}", {"kind": value, "name": node.name})
    made = next(light for id, light in lit.lights.items() if id not in scene.lights)
    return replace(
        scene,
        lights={**scene.lights, made.id: made},
        nodes={**scene.nodes, target: replace(node, light=made.id)},
    )


def lamp_stands(scene: Scene, target: str, value: Any) -> Scene:
    """Where a light that was added stands at first, where it does not say."""
    return moved_to(scene, target, value, usual_stand(scene)) if value is not None else scene


def stand(scene: Scene, target: str, value: Any) -> Scene:
    """A light moved round the subject."""
    return moved_to(scene, target, value) if value is not None else scene


def placed(scene: Scene, target: str, value: Any) -> Scene:
    """A light put exactly where a matrix says, row by row from it to the world."""
    node = node_of(scene, target)
    if value is None or node is None:
        return scene
    matrix = np.array(value, np.float64).reshape(4, 4)
    return replace(scene, nodes={**scene.nodes, node.id: replace(node, parent=None, matrix=matrix)})


SIZES: Mapping[str, tuple[str, ...]] = {
    "sun": ("angle_deg",),
    "point": ("radius_m",),
    "spot": ("radius_m",),
    "rectangle": ("width_m", "height_m"),
    "disc": ("width_m",),
}


def size(name: str) -> Callable[[Scene, str, Any], Scene]:
    """How wide a sun is seen, in degrees, or how large a surface or a ball is, in metres; a disc's width is
    its diameter. What has no such size stays as it is.
    """

    def change(scene: Scene, target: str, value: Any) -> Scene:
        light = scene.lights.get(target)
        if light is None or name not in SIZES.get(light.kind, ()):
            return scene
        made = (
            replace(light, angle_rad=math.radians(float(value)))
            if name == "angle_deg"
            else replace(light, **{name: float(value)})  # type: ignore[arg-type]
        )  # type: ignore[arg-type]
        if light.kind == "disc":
            made = replace(made, height_m=made.width_m)
        return replace(scene, lights={**scene.lights, target: made})

    return change


def color(scene: Scene, target: str, value: Any) -> Scene:
    """A lamp's colour, linear, as bright as the colour before it."""
    light = scene.lights.get(target)
    if light is None:
        return scene
    wanted, weights = np.array([float(v) for v in value]), np.array(LUMINANCE)
    bright = float(np.array(light.color) @ weights) / float(wanted @ weights)
    r, g, b = (float(v) for v in wanted * bright)
    return replace(scene, lights={**scene.lights, target: replace(light, color=(r, g, b))})


def cone(scene: Scene, target: str, value: Any) -> Scene:
    """Half angles of a spot, in degrees."""
    light = scene.lights.get(target)
    if light is None or light.kind != "spot":
        return scene
    made = replace(
        light,
        inner_cone_rad=math.radians(float(value["inner_deg"])),
        outer_cone_rad=math.radians(float(value["outer_deg"])),
    )
    return replace(scene, lights={**scene.lights, target: made})


def aim(scene: Scene, target: str, value: Any) -> Scene:
    """A lamp turned where it stands, so that it looks at a point of the world in metres."""
    return scene if value is None else aimed_at(scene, target, [float(v) for v in value])


def opening(scene: Scene, target: str, value: Any) -> Scene:
    """A rectangle that tells through where the environment comes in, and shines nothing itself."""
    light = scene.lights.get(target)
    return (
        scene
        if light is None or light.kind != "rectangle"
        else replace(scene, lights={**scene.lights, target: replace(light, opening=bool(value))})
    )


def backdrop(scene: Scene, target: str, value: Any) -> Scene:
    """What stands behind the subject."""
    return with_backdrop(scene, value) if value is not None and target == "environment" else scene
