"""Gloss turned into roughness, transparency into opacity."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.fit.draft import Draft
from trasloco.fit.formulas.codes import invert
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.scene.color import roughness_of_gloss
from trasloco.scene.images import unit_floats

_STEPS = 4097
"""At how many values of gloss a curve is gone back."""


def _plan(draft: Draft, way: Way) -> Draft:
    texture = draft.given.texture
    if texture is None or not draft.size or not texture.invert or draft.name == "height":
        return draft
    said = {
        "linear": "inverted",
        "squared": "gloss to roughness, squared",
        "exponent": f"exponent (up to {texture.curve_top:g}) to roughness",
        "scaled": f"gloss times {texture.curve_top:.3g}, inverted",
    }[texture.curve]
    return draft.then(Step("invert", said, {"curve": texture.curve, "top": texture.curve_top}))


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    curve = step.settings.get("curve", "linear")
    if curve == "linear":
        return replace(plane, texels=invert(plane.texels))
    return replace(plane, texels=roughness_of_gloss(unit_floats(plane.texels), curve, step.settings["top"]))


def _undo(plane: Plane, step: Step, order: Order, before: Plane) -> Plane:
    """Gloss of roughness; by a curve, which falls from end to end, the gloss that comes nearest."""
    curve = step.settings.get("curve", "linear")
    if curve == "linear":
        return replace(plane, texels=invert(plane.texels))
    gloss = np.linspace(1, 0, _STEPS)
    roughness = roughness_of_gloss(gloss, curve, step.settings["top"])
    return replace(plane, texels=np.interp(unit_floats(plane.texels), roughness, gloss).astype(np.float32))


KIND = Kind("invert", plan=_plan, apply=_apply, whole_codes=True, undo=_undo)
