"""Light matched to one's own picture on the route: each lamp rendered alone through the picture's camera,
strengths solved, the turn of the surroundings looked for, and what they become as decisions.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from trasloco.decisions.kinds import in_force
from trasloco.errors import Refused
from trasloco.light.mixing import BACKDROP, GLOW, SURROUNDINGS, strength_of
from trasloco.outside.light_match import LightMatch, Matched, matched
from trasloco.outside.registering import resized
from trasloco.outside.shrinking import shrunk
from trasloco.outside.turning import counts, lamps_of, surroundings_turn
from trasloco.outside.turning import turned as turned_by
from trasloco.progress import Progress, part_of
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, render
from trasloco.results.name import named
from trasloco.results.outside import light_png, picture_in
from trasloco.results.own_pictures import camera_from_json
from trasloco.results.pages.mixing import label_of, target_of
from trasloco.results.route import Route
from trasloco.scene.color import luminance
from trasloco.scene.model import Decision, Scene

QUALITY = Quality(480, 270, 48, 4)
_SATURATION = math.log2(1.2)
"""Exposed light is radiance by 1.2 * 2^EV100 (ISO 12232)."""


@dataclass(frozen=True)
class AskedMatch:
    """What is asked: colours of lamps too, the turn of the surroundings too, which lamp stays as strong as it
    is (the one that gives most light where it is empty), by which curve the picture was shown, and materials
    that do not count.
    """

    colors: bool = False
    turn: bool = False
    anchor: str = ""
    curve: str = ""
    leave_out: tuple[str, ...] = ()


@dataclass(frozen=True)
class FoundMatch:
    """Figures as they are kept, and the picture as the matched light shows it, PNG."""

    told: dict[str, Any]
    picture: bytes


def asked_match(settings: Mapping[str, Any]) -> AskedMatch:
    """What settings of a job ask for; what is not said is as usual."""
    left = settings.get("leave_out") or ()
    return AskedMatch(
        bool(settings.get("colors")),
        bool(settings.get("turn")),
        str(settings.get("anchor") or ""),
        str(settings.get("curve") or ""),
        tuple(str(one) for one in left),
    )


def match_light(
    route: Route,
    mine: bytes,
    inside: bytes,
    camera: Mapping[str, Any],
    curve: str,
    asked: AskedMatch,
    report: Progress,
) -> FoundMatch:
    """Match the reference's light to a picture that lies over what its camera sees.

    Args:
        mine: the picture, PNG. inside: where it reaches, PNG. curve: how it was found to be shown.

    Raises:
        Refused: nothing lights the scene, or too little of the picture says anything.
    """
    picture, reaches = picture_in(mine, "mine.png"), picture_in(inside, "inside.png")
    high, wide = picture.shape[:2]
    quality = replace(QUALITY, height=max(round(QUALITY.width * high / wide), 16))
    view = camera_from_json(camera).view("matched", wide / high)
    scene = route.reference()
    shown_by = asked.curve or curve
    seen, sound = shrunk(picture, shown_by, quality.width, quality.height)
    turned: float | None = None
    if asked.turn and scene.environment is not None:
        looking = part_of(report, 0.0, 0.45)
        turned = surroundings_turn(scene, view, picture, shown_by, asked.colors, asked.leave_out, looking)
        scene = turned_by(scene, turned)
    made = _layers(route, scene, view, quality, part_of(report, 0.45 if asked.turn else 0.0, 0.97))
    lamps = lamps_of(made)
    lies = resized(reaches, quality.width, quality.height)[..., 0] > 0.99
    where = counts(scene, made, lies & sound, asked.leave_out)
    found = matched(seen, lamps, where, shown_by, asked.colors, asked.anchor)
    return FoundMatch(_told(route, scene, found, turned, asked.colors), light_png(found.picture))


def _layers(route: Route, scene: Scene, view: View, quality: Quality, report: Progress) -> Picture:
    flat = flatten(scene, "apart")
    if not flat.layers or flat.layers == ("all",):
        raise Refused(
            "Nothing lights this scene: there is nothing to match.",
            scene.name,
            "Give it a lamp or surroundings on the Light stop first.",
        )
    key = named(
        "matched layers",
        ("trasloco.light.mixing", "trasloco.render.picture"),
        route.reference_name,
        scene.environment,
        [float(v) for v in view.matrix.ravel()],
        view.yfov_rad,
        view.shift,
        quality.height,
        quality.samples,
    ).key
    made: Picture = route.store.get_or_make(key, lambda: render(flat, view, quality, report))
    if made.layers is None:  # one lamp alone is its own layer
        return replace(made, layers=lamps_of(made, flat.layers).halves, layer_names=flat.layers)
    return made


def _told(
    route: Route, scene: Scene, found: LightMatch, turned: float | None, colors: bool
) -> dict[str, Any]:
    rows = [_row(route, scene, one, colors) for one in found.lamps]
    rows = [row for row in rows if row["target"] or row["strength"] > 0]
    decisions = [decision for row in rows if row["sure"] for decision in row["decisions"]]
    before = 0.0
    if turned is not None:
        told = route.reference().environment
        before = told.turn_rad if told is not None else 0.0
        decisions.append({"target": "environment", "field": "turn_rad", "value": turned})
    ev100 = -found.shown.stops - _SATURATION
    return {
        "curve": found.shown.curve,
        "ev100": ev100,
        "before": found.before,
        "after": found.after,
        "lamps": rows,
        "turned_deg": None if turned is None else math.degrees(math.remainder(turned - before, 2 * math.pi)),
        "exposure": {"target": "proof", "field": "ev100", "value": round(ev100, 2)},
        "decisions": decisions,
    }


def _row(route: Route, scene: Scene, one: Matched, colors: bool) -> dict[str, Any]:
    strength = strength_of(scene, one.name)
    target = target_of(route, one.name)
    return {
        "name": one.name,
        "label": label_of(route, one.name),
        "target": target,
        "strength": strength,
        "becomes": strength * one.gain,
        "gain": one.gain,
        "unsure": one.unsure,
        "share": one.share,
        "color": list(one.color),
        "like": [label_of(route, name) for name in one.like],
        "sure": one.sure,
        "seen": one.seen,
        "decisions": _decisions(scene, one, target, strength, colors, in_force(route.decisions)),
    }


def _decisions(
    scene: Scene, one: Matched, target: str, strength: float, colors: bool, before: Sequence[Decision]
) -> list[dict[str, Any]]:
    """What takes a lamp to its strength, and its colour where that was asked for, after what was decided."""
    if not target or one.name in (GLOW, BACKDROP):
        return []
    if one.name == SURROUNDINGS:
        made = [Decision(target, "level", strength * one.gain)]
        if colors:
            worn = next((d.value for d in before if (d.target, d.field) == (target, "tint")), None) or (
                1,
                1,
                1,
            )
            tint = [float(a) * b for a, b in zip(worn, one.color, strict=True)]
            made.append(Decision(target, "tint", tint))
    else:
        light = scene.lights[target]
        tinted = np.array(light.color) * one.color
        # The colour of a lamp is against its own brightness: what it gains goes into the strength.
        bright = float(luminance(tinted)) / max(float(luminance(np.array(light.color))), 1e-9)
        made = [Decision(target, "intensity", strength * one.gain * (bright if colors else 1.0))]
        if colors:
            made.append(Decision(target, "lamp_color", [float(v) for v in tinted]))
    return [{"target": d.target, "field": d.field, "value": d.value} for d in made]
