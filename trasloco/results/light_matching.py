"""Light matched to one's own picture on the route: each lamp rendered alone through the picture's camera,
strengths solved, the turn of the surroundings looked for, and what they become as decisions.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from types import MappingProxyType
from typing import Any

import numpy as np

from trasloco.decisions.kinds import in_force
from trasloco.errors import Refused
from trasloco.light.mixing import BACKDROP, GLOW, SURROUNDINGS, strength_of
from trasloco.outside.light_match import Lamps, LightMatch, Mask, Matched, held_to, matched
from trasloco.outside.new_lamps import LEAST_SHARE, NewLamp, find_lamps
from trasloco.outside.registering import covered
from trasloco.outside.shrinking import shrunk
from trasloco.outside.turning import counts, lamps_of, surroundings_turn
from trasloco.outside.white_match import matched_with_white
from trasloco.progress import Progress, part_of
from trasloco.proof.light_there import is_lit
from trasloco.render.exposure import ev100_of_stops
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, render
from trasloco.results.lens_told import lens_told
from trasloco.results.name import named
from trasloco.results.outside import light_png
from trasloco.results.own_pictures import Lying
from trasloco.results.pages.mixing import label_of, target_of
from trasloco.results.proposed_lamps import proposed_rows
from trasloco.results.route import Route
from trasloco.scene.color import luminance
from trasloco.scene.model import Decision, Floats, Scene

QUALITY = Quality(480, 270, 48, 4)


@dataclass(frozen=True)
class AskedMatch:
    """What is asked: colours of lamps too, the turn of the surroundings too, which lamp stays as strong as it
    is (the one that gives most light where it is empty), materials that do not count, and whether lamps are
    looked for that are not there.
    """

    colors: bool = False
    turn: bool = False
    anchor: str = ""
    leave_out: tuple[str, ...] = ()
    new_lamps: bool = False


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
        tuple(str(one) for one in left),
        bool(settings.get("new_lamps")),
    )


def match_light(
    route: Route,
    lying: Lying,
    asked: AskedMatch,
    report: Progress,
) -> FoundMatch:
    """Match the reference's light to a picture that lies over what its camera sees.

    Raises:
        Refused: nothing lights the scene and no new lamps are looked for, or too little of the picture says
            anything.
    """
    scene = route.reference()
    if not is_lit(scene) and not asked.new_lamps:
        raise Refused(
            "Nothing lights this scene: there is nothing to match.",
            scene.name,
            "Look for lamps that are missing, or give it a lamp or surroundings on the Light stop first.",
        )
    (picture, reaches, view), curve = lying.opened(), lying.curve
    high, wide = picture.shape[:2]
    quality = replace(QUALITY, height=max(round(QUALITY.width * high / wide), 16))
    turned: float | None = None
    if asked.turn and scene.environment is not None:
        turned = surroundings_turn(
            scene,
            view,
            picture,
            reaches,
            curve,
            asked.colors,
            asked.leave_out,
            part_of(report, 0.0, 0.45),
        )
        scene = route.mended_with([_turn(turned)])
    begun = 0.0 if turned is None else 0.45
    rendered = begun + (0.2 if asked.new_lamps else 0.97 - begun)
    ids, made = _layers(route, scene, view, quality, part_of(report, begun, rendered))
    seen, sound = shrunk(picture, curve, quality.width, quality.height)
    where = counts(ids, made, sound & covered(reaches, quality.width, quality.height), asked.leave_out)
    lamps = _by_light(route, lamps_of(made))
    new: tuple[NewLamp, ...] = ()
    if asked.new_lamps:
        here = part_of(report, rendered, 0.97)
        # Another white is no lamp that is missing.
        plain = seen if asked.colors else matched_with_white(seen, lamps, where, curve, asked.anchor)[1]
        new, found = find_lamps(
            scene, view, quality, plain, made, lamps, where, curve, asked.colors, asked.anchor, here
        )
        if not asked.colors:
            new, found = _with_white(seen, lamps, new, where, found, asked.anchor)
    elif asked.colors:
        found = matched(seen, lamps, where, curve, True, asked.anchor)
    else:
        found, _ = matched_with_white(seen, lamps, where, curve, asked.anchor)
    told = _told(route, scene, found, turned, asked, new)
    bend = float(lying.camera["bend"])
    told["lens"] = lens_told(route, scene, view, seen, found, where, sound, asked.colors, bend)
    return FoundMatch(told, light_png(found.picture))


def _with_white(
    seen: Floats, lamps: Lamps, new: Sequence[NewLamp], where: Mask, found: LightMatch, anchor: str
) -> tuple[tuple[NewLamp, ...], LightMatch]:
    """All light once more, with lamps that were missing, and the white of the picture. A lamp that gives next to
    nothing beside that white is none.
    """
    held = anchor or held_to(replace(found, lamps=found.lamps[: len(lamps.names)]))
    while True:
        wider = lamps
        for number, lamp in enumerate(new, 1):
            wider = wider.with_one(f"new {number}", lamp.halves)
        match, _ = matched_with_white(seen, wider, where, found.shown.curve, held, len(new))
        there = tuple(
            lamp
            for lamp, one in zip(new, match.lamps[len(lamps.names) :], strict=True)
            if one.share >= LEAST_SHARE
        )
        if len(there) == len(new):
            return there, replace(match, before=found.before)
        new = there


def _turn(turn_rad: float) -> Decision:
    return Decision("environment", "turn_rad", turn_rad)


def _layers(
    route: Route, scene: Scene, view: View, quality: Quality, report: Progress
) -> tuple[tuple[str, ...], Picture]:
    """Materials by their numbers, and the view with every lamp's light apart."""
    flat = flatten(scene, "apart")
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
    return flat.material_ids, made


def _by_light(route: Route, lamps: Lamps) -> Lamps:
    """Layers of nodes that share a light as one: it has one strength, which is decided once."""
    first: dict[str, int] = {}
    groups: list[list[int]] = []
    for number, name in enumerate(lamps.names):
        target = target_of(route, name) or name
        if target not in first:
            first[target] = len(groups)
            groups.append([])
        groups[first[target]].append(number)
    halves = np.stack([lamps.halves[:, group].sum(axis=1) for group in groups], axis=1)
    return Lamps(tuple(lamps.names[group[0]] for group in groups), halves)


def _told(
    route: Route,
    scene: Scene,
    found: LightMatch,
    turned: float | None,
    asked: AskedMatch,
    new: Sequence[NewLamp],
) -> dict[str, Any]:
    own, others = found.lamps[: len(found.lamps) - len(new)], found.lamps[len(found.lamps) - len(new) :]
    rows = [_row(route, scene, one, asked.colors) for one in own]
    rows = [row for row in rows if row["target"] or row["share"] > 0]
    names = {one.name: f"the new lamp {k + 1}" for k, one in enumerate(others)}
    rows += proposed_rows(route, scene, new, others, [_doubt(route, one, names) for one in others])
    decisions = [decision for row in rows if row["sure"] for decision in row["decisions"]]
    before = 0.0
    if turned is not None:
        told = route.reference().environment
        before = told.turn_rad if told is not None else 0.0
        decisions.append(_said(_turn(turned)))
    ev100 = ev100_of_stops(found.shown.stops)
    return {
        "curve": found.shown.curve,
        "ev100": ev100,
        "before": found.before,
        "after": found.after,
        "lamps": rows,
        "turned_deg": None if turned is None else math.degrees(math.remainder(turned - before, 2 * math.pi)),
        "exposure": {"target": "proof", "field": "ev100", "value": round(ev100, 2)},
        "decisions": decisions,
        "looked_for_new": asked.new_lamps,
    }


def _row(route: Route, scene: Scene, one: Matched, colors: bool) -> dict[str, Any]:
    strength = strength_of(scene, one.name)
    target = target_of(route, one.name)
    decisions = _decisions(scene, one, target, strength, colors, in_force(route.decisions))
    return {
        "name": one.name,
        "label": label_of(route, one.name),
        "target": target,
        "strength": strength,
        "becomes": decisions[0].value if decisions else strength * one.gain,
        "gain": one.gain,
        "unsure": one.unsure,
        "share": one.share,
        "color": list(one.color),
        "sure": one.sure,
        "doubt": _doubt(route, one),
        "decisions": [_said(decision) for decision in decisions],
    }


def _doubt(route: Route, one: Matched, new: Mapping[str, str] = MappingProxyType({})) -> str:
    """Why a strength is not to be believed, in words; nothing where it is. ``new`` are lamps that the route
    does not have, by name.
    """
    if one.doubt == "alike":
        like = ", ".join(new.get(name) or label_of(route, name) for name in one.like)
        return f"lights like {like}: only their sum is known"
    if one.doubt == "unseen":
        return "most of its light is clipped or black in the picture"
    return "the picture hardly shows it" if one.doubt else ""


def _said(decision: Decision) -> dict[str, Any]:
    return {"target": decision.target, "field": decision.field, "value": decision.value}


def _decisions(
    scene: Scene, one: Matched, target: str, strength: float, colors: bool, before: Sequence[Decision]
) -> list[Decision]:
    """What takes a lamp to its strength, and its colour where that was asked for, after what was decided; the
    strength first.
    """
    if not target or one.name in (GLOW, BACKDROP):
        return []
    if one.name == SURROUNDINGS:
        made = [Decision(target, "level", strength * one.gain)]
        if colors:
            told = next((d.value for d in before if (d.target, d.field) == (target, "tint")), None)
            worn = told or (1.0, 1.0, 1.0)
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
    return made
