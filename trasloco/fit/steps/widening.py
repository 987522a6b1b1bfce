"""Roughness widened by the relief that a smaller normal map loses."""

from __future__ import annotations

import numpy as np

from trasloco.fit.draft import Draft, placement_of
from trasloco.fit.formulas.resampling import resample
from trasloco.fit.formulas.shrinking import slope_variance, widened
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane, fitted
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.scene.images import pixels, unit_floats
from trasloco.scene.passes import normal_vectors
from trasloco.scene.resolve import read_texture


def _plan(draft: Draft, way: Way) -> Draft:
    normal = way.material.inputs.get("normal")
    image = way.image(normal)
    if draft.name != "roughness" or not draft.has("resize") or normal is None or image is None:
        return draft
    smaller = way.fitting(draft, image)
    shrinks = smaller[0] * smaller[1] < image.width * image.height
    if not shrinks or placement_of(normal) != placement_of(draft.given):
        return draft
    return draft.then(
        Step("widen", "widened by the relief that is lost", {"image": image.id, "to": list(smaller)})
    )


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    plane = fitted(plane, order)
    texture = order.partner("normal").texture
    assert texture is not None
    encoded = read_texture(texture, pixels(order.reference.images[step.settings["image"]]))
    vectors = normal_vectors(np.array(encoded, np.float32), texture.green_up, texture.strength)
    variance = slope_variance(vectors, *step.settings["to"])
    if variance.shape != plane.texels.shape[:2]:
        variance = np.maximum(resample(variance, plane.texels.shape[1], plane.texels.shape[0]), 0)
    return Plane(widened(unit_floats(plane.texels), variance), "linear")


KIND = Kind("widen", plan=_plan, apply=_apply, replaces=True, reads_others=True)
