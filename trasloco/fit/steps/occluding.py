"""Occlusion multiplied into the base colour, where a destination has no input for it and that is wished."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.fit.crossings import flattened_here
from trasloco.fit.draft import Draft
from trasloco.fit.formulas import codes as do
from trasloco.fit.formulas.resampling import resample
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.scene.resolve import input_values
from trasloco.scene.texels_held import Pixels

_DARKEST = 1 / 512
"""Occlusion below which nothing is seen of a colour in eight bits."""


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


def _shade(step: Step, order: Order, height: int, width: int) -> Pixels:
    """Occlusion at a size, (H, W, 1)."""
    shade = input_values(
        "occlusion", order.partner("occlusion"), order.reference.images[step.settings["image"]]
    )
    if shade.shape[:2] != (height, width):
        shade = np.clip(resample(shade, width, height), 0, 1)
        shade = shade if shade.ndim == 3 else shade[..., None]
    return shade


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    linear = plane.linear()
    base = order.partner("base_color")
    if base.texture is None and not flattened_here(order.crossing):
        image = order.reference.images[step.settings["image"]]
        factor = np.asarray(order.crossing.given.factor, np.float32)
        linear = np.broadcast_to(factor, (image.height, image.width, 3))
    return Plane(np.asarray(linear * _shade(step, order, *linear.shape[:2]), np.float32), "linear")


def _undo(plane: Plane, step: Step, order: Order, before: Plane) -> Plane:
    """Divided by it. Where it lets nothing through, whatever was there looks the same: it stays."""
    linear = plane.linear()
    shade = _shade(step, order, *linear.shape[:2])
    was = before.linear()
    if was.shape[:2] != linear.shape[:2]:
        was = np.clip(resample(was, linear.shape[1], linear.shape[0]), 0, 1)
    made = np.where(shade > _DARKEST, linear / np.maximum(shade, _DARKEST), was)
    return Plane(do.encode_values(made.astype(np.float32), before.encoding), before.encoding)


KIND = Kind("occlude", fate=_fate, plan=_plan, apply=_apply, replaces=True, reads_others=True, undo=_undo)
