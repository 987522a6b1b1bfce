"""What a proof looks at: views with a moment and surroundings of their own, the limits of its verdict words,
all as decisions can say them.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.decisions.kinds import in_force
from trasloco.proof.compare import Verdict
from trasloco.proof.pairing import paired
from trasloco.render.picture import View, framing, rigid, views_of
from trasloco.render.posing import posed
from trasloco.scene.lit import Environment
from trasloco.scene.model import Decision, Scene
from trasloco.scene.motion import ends_of
from trasloco.sheets.model import AfterEffect, Sheet

TARGET = "proof"


def views_for(reference: Scene, decisions: Sequence[Decision]) -> list[View]:
    """The scene's cameras, the views that were framed and kept, and a framing of everything."""
    cameras = views_of(reference) if reference.cameras else []
    kept = [
        _view(said)
        for d in in_force(decisions)
        if d.target == TARGET and d.field == "views"
        for said in d.value or ()
    ]
    taken: set[str] = set()
    found = []
    for view in [*cameras, *kept, framing(reference)]:
        name, k = view.name, 2
        while name in taken:
            name, k = f"{view.name} ({k})", k + 1
        taken.add(name)
        found.append(replace(view, name=name))
    return found


def moments_of(reference: Scene, view: View) -> list[View]:
    """A view at the moments that a moving scene is judged at: the first clip's start, middle and end, and the
    middle of every other.
    """
    found: list[View] = []
    for clip in reference.clips.values():
        ends = ends_of(clip)
        if ends is None or view.clip:
            continue
        start, end = ends
        # Just off the middle: what moves to and fro is often back where it was there.
        middle = start + 0.45 * (end - start)
        for time_s in (start, middle, end) if not found else (middle,):
            found.append(
                replace(view, name=f"{view.name}, {clip.name} at {time_s:.2f} s", clip=clip.id, time_s=time_s)
            )
    return found


def main_views(reference: Scene, views: Sequence[View]) -> list[View]:
    """What is proved where nothing else is asked for: the first view, and its moments where the scene moves."""
    return [*views[:1], *(moments_of(reference, views[0]) if views else [])]


def _view(said: Mapping[str, Any]) -> View:
    matrix = np.array(said["matrix"], np.float64).reshape(4, 4)
    return View(
        str(said["name"]),
        rigid(matrix),
        float(said["yfov_rad"]),
        float(said.get("lens_radius_m", 0)),
        float(said.get("focus_m", 1)),
        str(said.get("clip", "")),
        float(said.get("time_s", 0)),
        str(said.get("environment", "")),
        float(said.get("aspect", 0)),
        shift=(float(said["shift"][0]), float(said["shift"][1])) if "shift" in said else (0.0, 0.0),
    )


def limits_of(decisions: Sequence[Decision]) -> Verdict:
    """The limits the artist set, else the usual ones."""
    said = next(
        (d.value for d in in_force(decisions) if d.target == TARGET and d.field == "limits" and d.value), None
    )
    return Verdict(*(float(v) for v in said)) if said else Verdict()


def exposure_of(decisions: Sequence[Decision]) -> float | None:
    """EV100 that was pinned; None where each view is metered from its reference."""
    said = next((d.value for d in in_force(decisions) if d.target == TARGET and d.field == "ev100"), None)
    return None if said is None else float(said)


def effects_of(decisions: Sequence[Decision], destination: Sheet) -> list[AfterEffect]:
    """After-effects of the destination that the artist wants to see simulated; the others are judged as
    switched off.
    """
    wanted = (
        next((d.value for d in in_force(decisions) if d.target == TARGET and d.field == "effects"), None)
        or []
    )
    return [effect for effect in destination.after_effects if effect.acts and effect.name in wanted]


def staged(scene: Scene, view: View, reference: Scene) -> Scene:
    """A side at a view's moment and in its surroundings.

    Clips of an arrival are found by the name of the reference's; one that did not arrive leaves it still.
    """
    if view.clip and view.clip in reference.clips:
        clip = (
            view.clip
            if scene is reference
            else paired(
                {view.clip: reference.clips[view.clip].name}, {c.id: c.name for c in scene.clips.values()}
            ).get(view.clip, "")
        )
        scene = posed(scene, clip, view.time_s) if clip else scene
    image = reference.images.get(view.environment)
    if image is not None and image.usable:
        given = reference.environment
        scene = replace(
            scene,
            environment=Environment(image.id, given.level if given is not None else 1.0, 0.0),
            images={**scene.images, image.id: image},
        )
    return scene
