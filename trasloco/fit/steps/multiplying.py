"""A number multiplied into an image, where the destination holds none beside it."""

from __future__ import annotations

import numpy as np

from trasloco.fit.draft import Draft
from trasloco.fit.formulas import codes as do
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.inputs.table import INPUTS


def _plan(draft: Draft, way: Way) -> Draft:
    if not draft.tinted or draft.value or draft.has("shade"):
        return draft
    factor = draft.given.factor
    said = "tint multiplied in" if INPUTS[draft.name].color else f"multiplied by {factor[0]:.3g}"
    return draft.then(Step("multiply", said, {"factor": list(factor)}))


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    target = order.planned.encoding if plane.texels.ndim == 3 else "linear"
    return Plane(do.multiply(plane.texels, tuple(step.settings["factor"]), plane.encoding, target), target)


def _undo(plane: Plane, step: Step, order: Order, before: Plane) -> Plane | None:
    """Divided; what was multiplied by nothing is not known."""
    factor = np.asarray(step.settings["factor"], np.float32)
    if (factor <= 0).any():
        return None
    scale = factor if plane.texels.ndim == 3 and len(factor) == 3 else factor[0]
    return Plane(do.encode_values(plane.linear() / scale, before.encoding), before.encoding)


KIND = Kind("multiply", plan=_plan, apply=_apply, undo=_undo)
