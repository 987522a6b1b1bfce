"""The green of a normal map turned over."""

from __future__ import annotations

from dataclasses import replace

from trasloco.fit.draft import Draft
from trasloco.fit.formulas.codes import turn_green
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way


def _plan(draft: Draft, way: Way) -> Draft:
    texture = draft.given.texture
    if texture is None or not draft.size or not draft.vectors:
        return draft
    up = texture.green_up or draft.name == "height"
    same = up == (way.destination.conventions.normal_green == "up")
    return draft if same else draft.then(Step("green", "green turned over"))


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    return replace(plane, texels=turn_green(plane.texels))


def _undo(plane: Plane, step: Step, order: Order, before: Plane) -> Plane:
    return replace(plane, texels=turn_green(plane.texels))


KIND = Kind("green", plan=_plan, apply=_apply, whole_codes=True, undo=_undo)
