"""Lamps that a picture asks for and a scene does not have, as they are told and decided."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from trasloco.light.round_subject import next_lamp, standing, subject_of
from trasloco.outside.lamp_guesses import NAMES
from trasloco.outside.light_match import Matched
from trasloco.outside.new_lamps import NewLamp
from trasloco.results.route import Route
from trasloco.scene.color import luminance
from trasloco.scene.model import Decision, Doubles, Scene


def proposed_rows(
    route: Route, scene: Scene, lamps: Sequence[NewLamp], found: Sequence[Matched], doubts: Sequence[str]
) -> list[dict[str, Any]]:
    """A row for each lamp, as :class:`Matched` found it; its strength is in lux, candela or nit."""
    taken = [decision.target for decision in route.decisions]
    rows = []
    for lamp, one, doubt in zip(lamps, found, doubts, strict=True):
        id = next_lamp(taken)
        taken.append(id)
        color = np.array(lamp.light.color) * one.color
        # A decided colour is against its own brightness: what a tint takes away goes into the strength.
        strength = one.gain * float(luminance(color) / luminance(np.array(lamp.light.color)))
        rows.append(
            {
                "name": one.name,
                "label": f"New: {NAMES[lamp.light.kind]}, {_where(scene, lamp)}",
                "target": id,
                "strength": 1.0,
                "becomes": strength,
                "gain": one.gain,
                "unsure": one.unsure,
                "share": one.share,
                "color": color.tolist(),
                "sure": one.sure,
                "doubt": doubt,
                "decisions": [
                    {"target": each.target, "field": each.field, "value": each.value}
                    for each in _decisions(id, lamp, strength, color)
                ],
                "new": True,
                "takes_away": lamp.before - lamp.after,
            }
        )
    return rows


def _where(scene: Scene, lamp: NewLamp) -> str:
    stand = standing(lamp.matrix, lamp.light, subject_of(scene)[0])
    said = f"{stand.azimuth_deg:.0f}° round, {stand.height_deg:.0f}° high"
    if lamp.light.kind == "sun":
        return said
    light = lamp.light
    # A pool of light hardly tells a strong spot far off from a weak one near by, nor a large sheet a small one.
    about = "about " if light.kind in ("spot", "rectangle") else ""
    said = f"{said}, {about}{stand.distance_m:.1f} m off"
    return f"{said}, {light.width_m:.2f} by {light.height_m:.2f} m" if light.kind == "rectangle" else said


def _decisions(id: str, lamp: NewLamp, strength: float, color: Doubles) -> list[Decision]:
    light = lamp.light
    told = {"kind": light.kind, "name": "From the picture", "intensity": strength}
    if light.kind == "rectangle":
        told |= {"width_m": light.width_m, "height_m": light.height_m}
    made = [
        Decision(id, "lamp", told),
        Decision(id, "lamp_color", color.tolist()),
        Decision(id, "lamp_place", [float(v) for v in lamp.matrix.ravel()]),
    ]
    if light.kind == "spot":
        cone = {
            "inner_deg": math.degrees(light.inner_cone_rad),
            "outer_deg": math.degrees(light.outer_cone_rad),
        }
        made.append(Decision(id, "cone", cone))
    if light.kind == "sun":
        made.append(Decision(id, "angle_deg", math.degrees(light.angle_rad)))
    elif light.kind != "rectangle":
        made.append(Decision(id, "radius_m", light.radius_m))
    return made
