"""An image whose black stands for more than nothing, written so that black is nothing."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.fit.draft import Draft
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.scene.images import unit_floats


def _plan(draft: Draft, way: Way) -> Draft:
    texture = draft.given.texture
    if texture is None or not draft.size or texture.floor == 0.0:
        return draft
    said = f"black lifted to {texture.floor:.3g} of white"
    return draft.then(Step("lift", said, {"floor": texture.floor}))


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    floor = np.float32(step.settings["floor"])
    lifted = floor + (1 - floor) * unit_floats(plane.texels)
    return replace(plane, texels=np.clip(lifted, 0, 1).astype(np.float32))


def _undo(plane: Plane, step: Step, order: Order, before: Plane) -> Plane | None:
    floor = np.float32(step.settings["floor"])
    if floor >= 1:
        return None
    lowered = (unit_floats(plane.texels) - floor) / (1 - floor)
    return replace(plane, texels=np.clip(lowered, 0, 1).astype(np.float32))


KIND = Kind("lift", plan=_plan, apply=_apply, undo=_undo)
