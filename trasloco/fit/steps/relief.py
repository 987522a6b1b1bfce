"""Height made a normal map."""

from __future__ import annotations

from dataclasses import replace

from trasloco.fit.draft import Draft
from trasloco.fit.formulas import codes as do
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.scene.invented import is_invented


def _fate(draft: Draft, way: Way) -> Draft | None:
    if draft.name != "height" or "normal" not in way.material.inputs:
        return None
    return draft.lost("The material has a normal map as well; only one of them has a place.")


def _plan(draft: Draft, way: Way) -> Draft:
    texture = draft.given.texture
    if draft.name != "height" or texture is None or not draft.size:
        return draft
    depth = texture.strength * draft.given.factor[0]
    step = Step("relief", "made a normal map", {"depth": depth, "inverted": texture.invert})
    return draft.then(step).close(
        "Invented from the colour, measured on nothing. " * is_invented(texture.image)
        + "A normal map tilts the light; it holds no height."
    )


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    return replace(plane, texels=do.relief(plane.grey, step.settings["depth"], step.settings["inverted"]))


KIND = Kind("relief", fate=_fate, plan=_plan, apply=_apply, replaces=True)
