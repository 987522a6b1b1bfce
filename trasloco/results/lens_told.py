"""What the camera of one's own picture did, told once its light is matched, and the camera that would do
it.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.outside.developed import developed
from trasloco.outside.lens import Lens, Measure, lens_of
from trasloco.outside.light_match import LightMatch, Mask
from trasloco.outside.showing import Shown, difference, displayed_by, undisplayed
from trasloco.render.flatten import flatten
from trasloco.render.picture import Floats, View
from trasloco.render.seen import seen_by
from trasloco.results.acts import camera_here
from trasloco.results.route import Route
from trasloco.scene.lit import Camera
from trasloco.scene.model import Decision, Scene

NAME = "Like my picture"
_NEARER = 0.98
"""What the camera did must leave at most this share of the ΔE to be told so."""


def lens_told(
    route: Route,
    scene: Scene,
    view: View,
    picture: Floats,
    found: LightMatch,
    where: Mask,
    sound: Mask,
    colored: bool,
    bend: float = 0.0,
) -> dict[str, Any]:
    """By a picture (H, W, 3), display light, and the light that was matched to it.

    Args:
        colored: whether colours of lamps were matched: then they stand for the white point.
        bend: the radial term of the lens, which is taken out of the picture.
    """
    light = undisplayed(found.picture, found.shown.curve).astype(np.float32)
    mine = undisplayed(picture, found.shown.curve).astype(np.float32)
    full = sound & (found.picture.max(axis=-1) < 0.98)
    height, width = picture.shape[:2]
    depth = seen_by(flatten(scene).rays, view, width, height).depth(view)
    lens = lens_of(mine, light, where, depth, view.yfov_rad, full)
    lens = replace(lens, tinted=lens.tinted and not colored)
    like = displayed_by(developed(light, lens, depth, view.yfov_rad), Shown(found.shown.curve, 0.0))
    after = float(difference(picture[where], like[where]).mean()) if where.any() else found.after
    camera = Camera("", NAME, view.yfov_rad, view.aspect or None)
    told: dict[str, Any] = {
        "white": list(lens.white) if lens.tinted else None,
        "contrast": _told(lens.contrast),
        "red": _told(lens.red),
        "blue": _told(lens.blue),
        "bend": _bend(bend, view) if bend else None,
        "focus": None,
        "camera": [],
        # What does not bring it nearer is not what the camera did.
        "after": after if after < _NEARER * found.after else None,
    }
    if lens.focus is not None:
        stop = lens.focus.f_stop(camera.focal_mm / 1000)
        told["focus"] = {"distance_m": lens.focus.distance_m, "f_stop": stop, "sensor_mm": camera.sensor_mm}
    told["camera"] = [
        {"target": one.target, "field": one.field, "value": one.value} for one in _camera(route, view, lens)
    ]
    return told


def _told(one: Measure) -> dict[str, Any]:
    return {"value": one.value, "unsure": one.unsure, "told": one.told}


def _bend(bend: float, view: View) -> float:
    """By which share its lens moves the corners of the frame outwards."""
    half = math.tan(view.yfov_rad / 2)
    return bend * half**2 * (1 + (view.aspect or 1.0) ** 2)


def _camera(route: Route, view: View, lens: Lens) -> list[Decision]:
    """A camera that stands where the picture was taken, with its lens; nothing where that blurs nothing."""
    if lens.focus is None:
        return []
    place = [float(v) for v in view.matrix.ravel()]
    (shot,) = camera_here(route, None, NAME, place, view.yfov_rad, view.aspect or None, view.shift)
    focal_m = Camera("", NAME, view.yfov_rad).focal_mm / 1000
    return [
        shot,
        Decision(shot.target, "focus_m", round(lens.focus.distance_m, 4)),
        Decision(shot.target, "f_stop", float(f"{min(max(lens.focus.f_stop(focal_m), 0.1), 256):.3g}")),
    ]
