"""Colours of another space brought to Rec. 709."""

from __future__ import annotations

import numpy as np

from trasloco.fit.draft import Draft
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.scene.images import unit_floats
from trasloco.scene.spaces import to_linear


def _plan(draft: Draft, way: Way) -> Draft:
    space = draft.given.texture.space if draft.given.texture is not None and draft.size else ""
    return (
        draft.then(Step("space", f"{space.replace('_', ' ')} to Rec. 709", {"space": space}))
        if space
        else draft
    )


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    return Plane(np.clip(to_linear(unit_floats(plane.texels), step.settings["space"]), 0, 1), "linear")


KIND = Kind("space", plan=_plan, apply=_apply)
