"""Diffuse and specular colour told by base colour and metalness."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.fit.draft import Draft
from trasloco.fit.formulas.resampling import resample
from trasloco.fit.formulas.shine import metallic_of_specular, specular_of_metallic
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.inputs.table import INPUTS
from trasloco.scene.color import fresnel_zero
from trasloco.scene.model import Input, Material
from trasloco.scene.resolve import input_values
from trasloco.scene.texels_held import Pixels


def _fate(draft: Draft, way: Way) -> Draft | None:
    """Base colour and metalness out of base and specular colour; constants at once, images when carried."""
    if draft.name not in ("base_color", "specular_color") or not way.by_metalness:
        return None
    want = "base_color" if draft.name == "base_color" else "metalness"
    inputs = way.material.inputs
    base, specular = inputs.get("base_color", Input((1.0, 1.0, 1.0))), inputs["specular_color"]
    given = draft.given
    if base.texture is None and specular.texture is None:
        made = metallic_of_specular(
            np.array(base.factor), specular_reflectance(way.material, np.array(specular.factor))
        )
        told = made.base_color if want == "base_color" else [made.metalness]
        given = replace(given, factor=tuple(float(v) for v in told))
    elif given.texture is None:
        # It is pictured where the other one is.
        given = replace(given, texture=(specular if want == "base_color" else base).texture)
    said = "metalness from specular colour" if want == "metalness" else "colour from diffuse and specular"
    return replace(
        draft.then(Step("metal", said, {"want": want})).close(
            "Told by base colour and metalness, as near as they can say what diffuse and specular colour say."
        ),
        target=want,
        given=given,
    )


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    made = metallic_of_specular(*specular_terms(order))
    return Plane(made.base_color if step.settings["want"] == "base_color" else made.metalness, "linear")


def specular_reflectance(material: Material, color: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """Reflectance straight ahead: ((n - 1) / (n + 1))^2 x weight x colour, at most 1
    (KHR_materials_specular).
    """
    index = material.inputs["ior"].factor[0] if "ior" in material.inputs else 1.5
    weight = material.inputs["specular"].factor[0] if "specular" in material.inputs else 1.0
    return np.minimum(fresnel_zero(index) * weight * color, 1)


def specular_terms(order: Order) -> tuple[Pixels, Pixels]:
    """Diffuse colour and reflectance straight ahead of a material, linear, at the larger of its two images'
    sizes.
    """
    material = order.reference.materials[order.crossing.material]
    found = []
    for name in ("base_color", "specular_color"):
        given = material.inputs.get(name, Input(INPUTS[name].default))
        image = order.reference.images.get(given.texture.image) if given.texture else None
        found.append(np.clip(input_values(name, given, image), 0, None))
    rows, columns = (max(f.shape[axis] for f in found) for axis in (0, 1))
    base, specular = (
        f if f.shape[:2] in ((rows, columns), (1, 1)) else np.clip(resample(f, columns, rows), 0, None)
        for f in found
    )
    shape = (rows, columns, 3)
    return np.broadcast_to(np.clip(base, 0, 1), shape), np.broadcast_to(
        specular_reflectance(material, specular), shape
    )


def residual_of_metal(order: Order) -> float:
    """Root mean square of what metalness terms leave of diffuse and specular colour: the conversion and its
    inverse, against what went in.
    """
    diffuse, specular = specular_terms(order)
    made = metallic_of_specular(diffuse, specular)
    again = specular_of_metallic(made.base_color, made.metalness)
    return float(np.sqrt(np.mean([np.mean((again[0] - diffuse) ** 2), np.mean((again[1] - specular) ** 2)])))


KIND = Kind("metal", fate=_fate, apply=_apply, replaces=True, reads_others=True)
