"""Transmission as opacity, where a destination has no transmission."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.fit.draft import Draft
from trasloco.fit.formulas.codes import invert
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.scene.images import unit_floats


def _fate(draft: Draft, way: Way) -> Draft | None:
    if draft.name != "transmission" or way.knows(draft.target):
        return None
    if "opacity" in way.material.inputs and way.material.alpha_mode != "opaque":
        return draft.lost(
            f"{way.destination.name} has no such input, and the material's own opacity has the place that"
            " would stand in for it."
        )
    if "blend" not in way.rules.alpha:
        return None
    given = draft.given
    made = draft.then(Step("see_through", "carried as see-through")).close(
        "Light passes, but is neither bent nor tinted; reflections fade with it."
    )
    turned = replace(given, factor=(1 - given.factor[0],)) if given.texture is None else given
    return replace(made, target="opacity", alpha="blend", given=turned)


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    factor = order.crossing.given.factor[0]
    if factor == 1.0:
        return replace(plane, texels=invert(plane.texels))
    return Plane(np.clip(1 - np.float32(factor) * unit_floats(plane.grey), 0, 1), "linear")


def _undo(plane: Plane, step: Step, order: Order, before: Plane) -> Plane | None:
    factor = order.crossing.given.factor[0]
    if factor == 1.0:
        return replace(plane, texels=invert(plane.texels))
    return (
        Plane(np.clip((1 - unit_floats(plane.grey)) / np.float32(factor), 0, 1), "linear")
        if factor > 0
        else None
    )


KIND = Kind("see_through", fate=_fate, apply=_apply, replaces=True, undo=_undo)
