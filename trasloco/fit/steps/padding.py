"""Colours under what is cut away, taken from their neighbours so that edges do not fray."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.fit.draft import Draft, placement_of
from trasloco.fit.formulas.resampling import resample
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.scene.covering import padded
from trasloco.scene.images import pixels, unit_floats
from trasloco.scene.resolve import channel_of
from trasloco.scene.texels_held import Pixels


def _plan(draft: Draft, way: Way) -> Draft:
    opacity = way.material.inputs.get("opacity")
    image = way.image(opacity)
    if draft.name != "base_color" or draft.size is None or opacity is None or image is None:
        return draft
    see_through = way.material.alpha_mode != "opaque" and {"mask", "blend"} & set(way.rules.alpha)
    if not see_through or placement_of(opacity) != placement_of(draft.given):
        return draft
    return draft.then(Step("pad", "edges padded under what is cut away", {"image": image.id}))


def seen_texels(order: Order, step: Step, shape: tuple[int, ...]) -> Pixels:
    """Texels (H, W) that are not fully cut away."""
    texture = order.partner("opacity").texture
    assert texture is not None
    alpha = unit_floats(
        channel_of(
            pixels(order.reference.images[step.settings["image"]]),
            texture.channels if texture.channels != "rgb" else "r",
        )
    )
    alpha = 1 - alpha if texture.invert else alpha
    if alpha.shape != shape:
        alpha = resample(alpha, shape[1], shape[0])
    return np.asarray(alpha > 1 / 255)


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    return replace(plane, texels=padded(plane.texels, seen_texels(order, step, plane.texels.shape[:2])))


KIND = Kind(
    "pad", plan=_plan, apply=_apply, whole_codes=True, reads_others=True, seen=seen_texels, stays=True
)
