"""Occlusion multiplied into the base colour, where a destination has no input for it and that is wished."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.fit.crossings import flattened_here
from trasloco.fit.draft import Draft
from trasloco.fit.formulas.resampling import resample
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.scene.resolve import input_values


def _multiplied_in(way: Way) -> bool:
    return way.rules.occlusion_multiplied and not way.knows("occlusion")


def _fate(draft: Draft, way: Way) -> Draft | None:
    if draft.name != "occlusion" or draft.given.texture is None or not _multiplied_in(way):
        return None
    told = draft.close(
        f"{way.destination.name} has no input for it; it is multiplied into the base colour, where light from"
        " lamps is darkened too."
    )
    return replace(told, target="")


def _plan(draft: Draft, way: Way) -> Draft:
    occlusion = way.material.inputs.get("occlusion")
    image = way.image(occlusion)
    if draft.name != "base_color" or occlusion is None or image is None or not _multiplied_in(way):
        return draft
    made = draft.then(Step("occlude", "occlusion multiplied in", {"image": image.id})).close(
        f"Darkened by the occlusion that {way.destination.name} has no input for."
    )
    if made.size is not None or occlusion.texture is None:
        return made
    pictured = replace(made.given, texture=replace(occlusion.texture, channels="rgb"))
    return replace(made, size=way.fitting(made, image), given=pictured)


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    shade = input_values(
        "occlusion", order.partner("occlusion"), order.reference.images[step.settings["image"]]
    )
    linear = plane.linear()
    base = order.partner("base_color")
    if base.texture is None and not flattened_here(order.crossing):
        linear = np.broadcast_to(np.asarray(order.crossing.given.factor, np.float32), (*shade.shape[:2], 3))
    if shade.shape[:2] != linear.shape[:2]:
        shade = np.clip(resample(shade, linear.shape[1], linear.shape[0]), 0, 1)
        shade = shade if shade.ndim == 3 else shade[..., None]
    return Plane(np.asarray(linear * shade, np.float32), "linear")


KIND = Kind("occlude", fate=_fate, plan=_plan, apply=_apply, replaces=True, reads_others=True)
