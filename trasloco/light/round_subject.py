"""Where lights stand round the subject: seen from its middle, by azimuth, height and distance, as they are
dragged on the strip.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from trasloco.light.panels import direction_of
from trasloco.scene.extent import bounds
from trasloco.scene.lit import Light
from trasloco.scene.model import Doubles, Node, Scene
from trasloco.scene.transforms import looking

USUAL: Mapping[str, float] = {"sun": 1000.0, "point": 100.0, "spot": 100.0, "rectangle": 500.0, "disc": 500.0}
"""Strength of a light that is added, in its kind's unit."""
ADDED = "light:added "
"""How the ids of lights begin that did not come along."""
_ASIDE_DEG, _ABOVE_DEG = 40.0, 40.0


@dataclass(frozen=True)
class Stand:
    """A place seen from the middle of the subject.

    ``azimuth_deg`` from -Z towards +X, ``height_deg`` above the horizon.
    """

    azimuth_deg: float
    height_deg: float
    distance_m: float


def subject_of(scene: Scene) -> tuple[Doubles, float]:
    """Middle (3,) of all parts, and the radius in metres of the sphere that holds them."""
    box = bounds(scene)
    if box is None:
        return np.zeros(3), 1.0
    low, high = box
    return np.asarray((low + high) / 2, np.float64), max(float(np.linalg.norm(high - low)) / 2, 1e-3)


def node_of(scene: Scene, light: str) -> Node | None:
    """The place of a light; the first where it is used several times."""
    return next((node for node in scene.nodes.values() if node.light == light), None)


def stand_of(scene: Scene, light: Light, middle: Doubles) -> Stand | None:
    """Where a light stands; a sun by where it shines from. None where it is used nowhere."""
    node = node_of(scene, light.id)
    if node is None:
        return None
    return standing(scene.world_matrices()[node.id], light, middle)


def standing(world: Doubles, light: Light, middle: Doubles) -> Stand:
    """The same of a light by its matrix (4, 4) to the world."""
    away = world[:3, 2] if light.kind == "sun" else world[:3, 3] - middle
    distance = float(np.linalg.norm(away))
    if distance < 1e-9:
        return Stand(0.0, 0.0, 0.0)
    x, y, z = away / distance
    return Stand(math.degrees(math.atan2(x, -z)), math.degrees(math.asin(min(max(y, -1.0), 1.0))), distance)


def usual_stand(scene: Scene) -> Stand:
    """Where a light that is added stands: on the first camera's side of the subject, to its left and above,
    twice as far as the subject reaches.
    """
    middle, radius = subject_of(scene)
    world = scene.world_matrices()
    eye = next(
        (world[node.id][:3, 3] for node in scene.nodes.values() if node.camera in scene.cameras),
        middle + np.array([0.0, 0.0, 1.0]),
    )
    x, _, z = eye - middle
    return Stand((math.degrees(math.atan2(x, -z)) + _ASIDE_DEG + 180) % 360 - 180, _ABOVE_DEG, 2 * radius)


def next_lamp(targets: Iterable[str]) -> str:
    """The id of a light to add, which none of the ``targets`` of decisions had: what was said of one that was
    taken away again is not said of the next.
    """
    taken = [
        int(target.removeprefix(ADDED))
        for target in targets
        if target.startswith(ADDED) and target.removeprefix(ADDED).isdigit()
    ]
    return f"{ADDED}{max(taken, default=0) + 1}"


def moved_to(scene: Scene, light: str, told: Mapping[str, Any], start: Stand | None = None) -> Scene:
    """The scene with a light at another stand, looking at the middle of the subject; what is unsaid is as at
    ``start``, or stays.
    """
    node, given = node_of(scene, light), scene.lights.get(light)
    if node is None or given is None:
        return scene
    middle, _ = subject_of(scene)
    before = start or stand_of(scene, given, middle)
    stand = Stand(
        *(float(told.get(key, getattr(before, key))) for key in ("azimuth_deg", "height_deg", "distance_m"))
    )
    toward = direction_of(stand.azimuth_deg, stand.height_deg)
    up = (0.0, 1.0, 0.0) if abs(toward[1]) < 0.999 else (0.0, 0.0, 1.0)
    matrix = looking(
        list(middle + toward * (max(stand.distance_m, 1e-3) if given.kind != "sun" else 10.0)),
        list(middle),
        up,
    )
    return replace(scene, nodes={**scene.nodes, node.id: replace(node, parent=None, matrix=matrix)})


def aimed_at(scene: Scene, light: str, point: list[float]) -> Scene:
    """The scene with a light turned where it stands to look at a point (3,) of the world; one that stands
    there already stays as it is.
    """
    node = node_of(scene, light)
    if node is None:
        return scene
    eye = scene.world_matrices()[node.id][:3, 3]
    ahead = np.array(point) - eye
    away = float(np.linalg.norm(ahead))
    if away < 1e-9:
        return scene
    up = (0.0, 1.0, 0.0) if abs(ahead[1]) < 0.999 * away else (0.0, 0.0, 1.0)
    matrix = looking([float(v) for v in eye], point, up)
    return replace(scene, nodes={**scene.nodes, node.id: replace(node, parent=None, matrix=matrix)})


def with_lamp(scene: Scene, id: str, told: Mapping[str, Any]) -> Scene:
    """The scene with a light more; where it stands is settled by :func:`moved_to`."""
    kind = str(told["kind"])
    light = Light(
        id,
        str(told.get("name") or kind.capitalize()),
        kind,  # type: ignore[arg-type]
        intensity=float(told.get("intensity", USUAL[kind])),
        width_m=float(told.get("width_m", 0.5)),
        height_m=float(told.get("height_m", told.get("width_m", 0.5))),
    )  # type: ignore[arg-type]
    node = Node(f"part:{id}", light.name, None, np.eye(4), light=id)
    return replace(scene, lights={**scene.lights, id: light}, nodes={**scene.nodes, node.id: node})
