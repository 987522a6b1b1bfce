"""Presses about lamps that decide several things at once: one more like another, one that reaches a place,
one that fills a frame.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.light.lit_place import SIDES as SIDES
from trasloco.light.lit_place import Side as Side
from trasloco.light.lit_place import reaching, rectangle_of, wished
from trasloco.light.round_subject import next_lamp, node_of, stand_of, subject_of
from trasloco.mends.lamps import SIZES
from trasloco.results.pointed import pointed_at, stand_at, world_of
from trasloco.results.route import Route
from trasloco.scene.color import luminance
from trasloco.scene.geometry import joined_mesh, transform_points
from trasloco.scene.model import Decision
from trasloco.scene.transforms import looking

_BESIDE_DEG = 20.0
"""How far round another lamp stands beside the one it is like."""


def another_lamp(route: Route, light: str, mirrored: bool) -> list[Decision]:
    """A lamp like one of the move's: the same kind, strength, colour, size and shadows. ``mirrored``: across
    the plane through the middle of the subject that faces +X; else a little further round.

    Raises:
        Refused: there is no such lamp, or it stands nowhere.
    """
    scene = route.reference()
    given = scene.lights.get(light)
    middle, _ = subject_of(scene)
    stand = stand_of(scene, given, middle) if given is not None else None
    node = node_of(scene, light)
    if given is None or stand is None or node is None:
        raise Refused("There is no such lamp.", light, "Reload the page.")
    id = next_lamp(d.target for d in route.decisions)
    round_deg = -stand.azimuth_deg if mirrored else (stand.azimuth_deg + _BESIDE_DEG + 180) % 360 - 180
    value = {
        "kind": given.kind,
        "name": f"{given.name}, {'mirrored' if mirrored else 'again'}",
        # A lamp begins white, and its colour is told at the brightness of white.
        "intensity": given.intensity * float(luminance(np.array(given.color))),
        "azimuth_deg": round_deg,
        "height_deg": stand.height_deg,
        **({"distance_m": stand.distance_m} if given.kind != "sun" else {}),
    }
    sizes = {"angle_deg": math.degrees(given.angle_rad)} | {
        name: getattr(given, name) for name in ("width_m", "height_m", "radius_m")
    }
    made = [
        Decision(id, "lamp", value),
        Decision(id, "lamp_color", list(given.color)),
        Decision(id, "shadows", given.shadows),
        *(Decision(id, name, sizes[name]) for name in SIZES.get(given.kind, ())),
    ]
    if given.kind == "spot":
        made.append(
            Decision(
                id,
                "cone",
                {
                    "inner_deg": math.degrees(given.inner_cone_rad),
                    "outer_deg": math.degrees(given.outer_cone_rad),
                },
            )
        )
    if given.kind == "rectangle":
        made.append(Decision(id, "opening", given.opening))
    if given.kind not in ("sun", "point"):
        world = scene.world_matrices()[node.id]
        seen = world[:3, 3] - stand.distance_m * world[:3, 2]
        if mirrored:
            seen = seen * (-1, 1, 1) + (2 * middle[0], 0, 0)
        made.append(Decision(id, "aim", [float(v) for v in seen]))
    return made


def lighting_place(
    route: Route, light: str | None, point: Sequence[float], eye: Sequence[float], side: Side
) -> list[Decision]:
    """A lamp put where it lights a place of the model from a side, as far away as it is now; without one, a
    new spot.

    Args:
        point: (3,) metres in the world. eye: 16 numbers row by row, camera to world, of whoever looks.

    Raises:
        Refused: there is no such lamp, or none that stands outside can reach the place.
    """
    scene = route.reference()
    given = scene.lights.get(light or "")
    node = node_of(scene, given.id) if given is not None else None
    if light is not None and (given is None or node is None):
        raise Refused("There is no such lamp.", light, "Reload the page.")
    place, stand = np.array(point, np.float64), stand_at(eye)
    _, radius = subject_of(scene)
    away = (
        float(np.linalg.norm(scene.world_matrices()[node.id][:3, 3] - place)) if node is not None else radius
    )
    sun = given is not None and given.kind == "sun"
    away = max(away, 0.05 * radius)
    world = world_of(route)
    met = pointed_at(world, stand[:3, 3], place)
    back = stand[:3, 3] - place
    normal = met.normal if met is not None else back / max(float(np.linalg.norm(back)), 1e-9)
    toward = reaching(world.rays, place, normal, wished(side, stand), math.inf if sun else away)
    if toward is None:
        on = scene.nodes[met.part].name if met is not None else "the place"
        raise Refused(
            "No lamp reaches this place from outside: something is in the way on every side.",
            on,
            "Press a place that is open to some side, or bring the lamp nearer first.",
        )
    up = (0.0, 1.0, 0.0) if abs(toward[1]) < 0.999 else (0.0, 0.0, 1.0)
    matrix = [
        float(v) for v in looking(list(place + toward * (10.0 if sun else away)), list(place), up).ravel()
    ]
    at = [float(v) for v in place]
    if given is None:
        id = next_lamp(d.target for d in route.decisions)
        made = {"kind": "spot", "name": f"Added spot {id.split()[-1]}"}
        return [Decision(id, "lamp", made), Decision(id, "lamp_place", matrix), Decision(id, "aim", at)]
    return [Decision(given.id, "lamp_place", matrix), Decision(given.id, "aim", None if sun else at)]


def filling(
    route: Route, faces: Mapping[str, Sequence[int]], what: Literal["opening", "panel"]
) -> list[Decision]:
    """A rectangle that fills the frame of picked faces (by part, numbered as received), whatever its angle,
    and looks towards the middle of the subject: an opening for what surrounds the scene, or a panel that
    shines.

    Raises:
        Refused: the faces span no rectangle.
    """
    scene = route.as_received()
    world = scene.world_matrices()
    clouds: list[npt.NDArray[Any]] = []
    for part, picked in faces.items():
        node = scene.nodes.get(part)
        if node is None or node.mesh is None:
            continue
        points, triangles = joined_mesh(scene.meshes[node.mesh].primitives)
        own = [k for k in picked if 0 <= k < len(triangles)]
        clouds.append(transform_points(world[part], points[np.unique(triangles[own])]))
    found = rectangle_of(np.concatenate(clouds)) if clouds else None
    if found is None or min(found[1:]) <= 0:
        raise Refused(
            "These faces span no frame.", "picked faces", "Pick faces round the opening, or the pane in it."
        )
    matrix, width, height = found
    middle, _ = subject_of(scene)
    if (middle - matrix[:3, 3]) @ -matrix[:3, 2] < 0:
        matrix[:3, 0] *= -1
        matrix[:3, 2] *= -1
    id = next_lamp(d.target for d in route.decisions)
    made = {
        "kind": "rectangle",
        "name": f"{what.capitalize()} {id.split()[-1]}",
        "width_m": width,
        "height_m": height,
    }
    return [
        Decision(id, "lamp", made),
        Decision(id, "lamp_place", [float(v) for v in matrix.ravel()]),
        *([Decision(id, "opening", True)] if what == "opening" else []),
    ]
