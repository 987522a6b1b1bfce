"""The factor and the strength of occlusion written into its texels, since files have one number for both."""

from __future__ import annotations

import numpy as np

from trasloco.fit.draft import Draft
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.scene.images import unit_floats


def _plan(draft: Draft, way: Way) -> Draft:
    texture = draft.given.texture
    if draft.name != "occlusion" or not draft.tinted or texture is None or texture.strength == 1.0:
        return draft
    factor = draft.given.factor[0]
    return draft.then(
        Step(
            "shade",
            f"multiplied by {factor:.3g}, its strength of {texture.strength:.3g} written in",
            {"factor": factor, "occlusion_strength": texture.strength},
        )
    )


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    """Factor x (1 + strength x (value - 1)), glTF 2.0 section 3.9.3."""
    values = unit_floats(plane.grey)
    factor, strength = np.float32(step.settings["factor"]), np.float32(step.settings["occlusion_strength"])
    return Plane(np.clip(factor * (1 + strength * (values - 1)), 0, 1), "linear")


KIND = Kind("shade", plan=_plan, apply=_apply)
