"""What lights a move, for the Light stop: surroundings, lights, cameras and after-effects; and a quick
picture in that light.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from trasloco.decisions.kinds import in_force
from trasloco.errors import Refused
from trasloco.fit.lights import cameras_of, lights_of, occluded_twice
from trasloco.fit.model import LightCrossing
from trasloco.light.backdrops import MIDDLE_GREY
from trasloco.light.daylight import moment_of
from trasloco.light.painting import PAINTED
from trasloco.light.panels import panels_of
from trasloco.light.round_subject import ADDED, next_lamp, stand_of, subject_of
from trasloco.light.surroundings import Surroundings
from trasloco.mends.beneath import parts_beneath
from trasloco.proof.staging import effects_of, exposure_of, views_for
from trasloco.render.denoise import denoised
from trasloco.render.exposure import auto_ev100, displayed, ev100_of
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, render
from trasloco.results.lightings import chosen, lightings, tried
from trasloco.results.looking import surroundings
from trasloco.results.name import named
from trasloco.results.route import Route
from trasloco.scene.color import luminance
from trasloco.scene.extent import part_bounds, union_box
from trasloco.scene.images import encode
from trasloco.scene.light_units import UNITS, from_unit, in_unit
from trasloco.scene.lit import Camera, Light
from trasloco.scene.model import Scene

_MOST_AIMS = 60
_QUICK = Quality(400, 225, 6, 2, preview=True)
_ONE_AT_A_TIME = threading.Lock()


def light_out(route: Route) -> dict[str, Any]:
    scene, received = route.reference(), route.received().scene
    marks = {c.light: (c.mark, c.text) for c in lights_of(scene, route.destination)}
    environment = None
    if scene.environment is not None:
        mark, text = marks.get("environment", (None, ""))
        given = received.environment
        own = scene.environment.image in received.images or scene.environment.image == PAINTED
        environment = {
            "image": scene.environment.image if own or given is None else given.image,
            "name": scene.images[scene.environment.image].name,
            "level": scene.environment.level,
            "turn_rad": scene.environment.turn_rad,
            "mark": mark,
            "text": text,
            **_surroundings(surroundings(route)),
        }
    told = {d.field: d.value for d in in_force(route.decisions) if d.target == "environment"}
    simulated = effects_of(route.decisions, route.destination)
    return {
        "lights": lights_out(scene, received, marks),
        "next_light": next_lamp(d.target for d in route.decisions),
        "environment": environment,
        "aims": _aims(scene),
        "ev100": exposure_of(route.decisions),
        "after_effects": [
            {**effect.model_dump(), "simulated": effect in simulated}
            for effect in route.destination.after_effects
        ],
        "views": [view.name for view in views_for(scene, route.decisions)],
        "backdrop": _backdrop(scene, told.get("backdrop"), marks),
        "pictures": [
            {"id": i.id, "name": i.name} for i in received.images.values() if i.floating and i.usable
        ],
        "occluded_twice": [{"id": m.id, "name": m.name} for m in occluded_twice(scene, route.destination)]
        if route.wish.wanted
        else [],
        "cameras": [
            _lens(camera, mark)
            for camera, mark in zip(scene.cameras.values(), cameras_of(scene, route.destination), strict=True)
        ],
        "daylight": {**asdict(moment_of(told["daylight"])), "day": told["daylight"]["day"]}
        if told.get("daylight")
        else None,
        "panels": [asdict(panel) for panel in panels_of(told.get("panels"))],
        "tilt_rad": told.get("tilt_rad") or 0.0,
        "tint": told.get("tint"),
        "lightings": [
            {"key": one.key, "name": one.name, "kind": one.kind, "image": one.image}
            for one in lightings(route)
        ],
        "lighting": chosen(route),
        "version": route.reference_name.key,
    }


def _aims(scene: Scene) -> dict[str, Any]:
    """What a lamp may be aimed at: the middle of everything, and of every group and every part of no group."""
    boxes = part_bounds(scene)
    middle, _ = subject_of(scene)
    groups: list[dict[str, Any]] = []
    for node in scene.nodes.values():
        if node.light or node.camera or (node.mesh and node.parent is not None) or len(groups) == _MOST_AIMS:
            continue
        box = union_box({id: boxes[id] for id in parts_beneath(scene, node.id) if id in boxes})
        if box is not None:
            groups.append(
                {"id": node.id, "name": node.name, "middle_m": [float(v) for v in box.mean(axis=0)]}
            )
    return {"middle_m": [float(v) for v in middle], "groups": groups}


def _lens(camera: Camera, carried: LightCrossing) -> dict[str, Any]:
    return {
        "id": camera.id,
        "name": camera.name,
        "yfov_deg": math.degrees(camera.yfov_rad),
        "aspect": camera.aspect,
        "focal_mm": camera.focal_mm,
        "sensor_mm": camera.sensor_mm,
        "focus_m": camera.focus_m,
        "f_stop": camera.f_stop,
        "znear_m": camera.znear,
        "zfar_m": camera.zfar,
        "mark": carried.mark,
        "text": carried.text,
    }


def _surroundings(found: Surroundings | None) -> dict[str, Any]:
    sun = found.sun if found is not None else None
    told = (
        None
        if sun is None
        else {
            "color": [float(v) for v in sun.lux / max(float(sun.lux.max()), 1e-12)],
            "u": sun.u,
            "v": sun.v,
            "lux": float(luminance(sun.lux)),
            "angle_deg": math.degrees(sun.angle_rad),
            "height_deg": math.degrees(sun.height_rad),
            "share": sun.share,
        }
    )
    return {
        "ground_lux": found.ground_lux if found is not None else None,
        "subject_lux": found.subject_lux if found is not None else None,
        "sun_apart": found is not None and found.apart,
        "sun": told,
        "taken": found is not None and found.taken,
    }


def _backdrop(
    scene: Scene, told: dict[str, Any] | None, marks: Mapping[str, tuple[str, str]]
) -> dict[str, Any] | None:
    """What stands behind the subject, as it was decided."""
    if scene.backdrop is None or told is None:
        return None
    mark, text = marks.get("backdrop", (None, ""))
    return {
        "image": told.get("image"),
        "color": list(told.get("color", MIDDLE_GREY)),
        "nit": scene.backdrop.level,
        "turn_rad": scene.backdrop.turn_rad,
        "mark": mark,
        "text": text,
    }


def lights_out(scene: Scene, received: Scene, marks: Mapping[str, tuple[str, str]]) -> list[dict[str, Any]]:
    """Every light with its units, its place round the subject and what becomes of it."""
    middle, _ = subject_of(scene)

    def one(light: Light) -> dict[str, Any]:
        stand = stand_of(scene, light, middle)
        mark, text = marks.get(light.id, (None, ""))
        units = [
            {"unit": unit, "value": in_unit(light, unit), "each": from_unit(light, 1.0, unit)}
            for unit in UNITS[light.kind]
        ]
        return {
            "units": units,
            "shadows": light.shadows,
            "id": light.id,
            "name": light.name,
            "kind": light.kind,
            "color": list(light.color),
            "intensity": light.intensity,
            "received_intensity": received.lights.get(light.id, light).intensity,
            "unit": units[0]["unit"],
            "enabled": light.enabled,
            "mark": mark,
            "text": text,
            "angle_deg": math.degrees(light.angle_rad),
            "width_m": light.width_m,
            "height_m": light.height_m,
            "radius_m": light.radius_m,
            "inner_deg": math.degrees(light.inner_cone_rad),
            "outer_deg": math.degrees(light.outer_cone_rad),
            "opening": light.opening,
            "added": light.id.startswith(ADDED),
            "stand": None if stand is None else asdict(stand),
        }

    return [one(light) for light in scene.lights.values()]


def quick_png(route: Route, view: str, trying: str = "") -> bytes:
    """A small picture of a view in the light as it is now, noise taken out, at the shared exposure or a
    metered one; or in another light that is tried.
    """
    scene = tried(route, trying) if trying else route.reference()
    views = views_for(scene, route.decisions)
    seen = next((one for one in views if one.name == view), views[0])
    ev100 = exposure_of(route.decisions)

    def make() -> bytes:
        with _ONE_AT_A_TIME:
            picture = render(flatten(scene), seen, _QUICK)
            shown = denoised(picture)
            return encode(displayed(shown, auto_ev100(picture.radiance) if ev100 is None else ev100), "png")

    made: bytes = route.store.get_or_make(
        named("quick", ("trasloco.render.picture",), route.reference_name, trying, asdict(seen), ev100).key,
        make,
    )
    return made


def ev100_at(f_stop: float, shutter_s: float, iso: float) -> float:
    """EV100 of a camera's settings. Raises Refused where they let no light in, or endlessly much."""
    if not all(math.isfinite(value) and 0 < value < 1e9 for value in (f_stop, shutter_s, iso)):
        told = f"f/{f_stop:g}, {shutter_s:g} s, ISO {iso:g}"
        raise Refused("These settings let no light in.", told, "Give numbers above zero.")
    return ev100_of(f_stop, shutter_s, iso)
