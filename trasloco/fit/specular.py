"""What is told by specular colour, weight and index here, where a destination tells it by metalness or by one
level.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.fit.draft import Draft, is_default, knows
from trasloco.fit.model import Step
from trasloco.fit.steps.shine import level_of_index, metallic_of_specular
from trasloco.scene.color import fresnel_zero
from trasloco.scene.model import Input, Material
from trasloco.sheets.model import Sheet


def needs_metal(material: Material, destination: Sheet) -> bool:
    """Whether a material told by specular colour must be told by metalness: it is no metal yet, and the
    destination takes the one and not the other.
    """
    specular, metalness = (
        material.inputs.get("specular_color"),
        material.inputs.get("metalness", Input((0.0,))),
    )
    if (
        specular is None
        or is_default("specular_color", specular)
        or knows(destination, "specular_color")
        or not knows(destination, "metalness")
    ):
        return False
    return metalness.texture is None and metalness.factor[0] == 0


def told_by_metal(draft: Draft, material: Material) -> None:
    """Base colour and metalness out of base and specular colour; constants at once, images when carried."""
    want = "base_color" if draft.name == "base_color" else "metalness"
    draft.target = want
    draft.mark, draft.reason = (
        "close",
        "Told by base colour and metalness, as near as they can say what diffuse and specular colour say.",
    )
    base, specular = (
        material.inputs.get("base_color", Input((1.0, 1.0, 1.0))),
        material.inputs["specular_color"],
    )
    draft.steps.append(
        Step(
            "metal",
            "metalness from specular colour" if want == "metalness" else "colour from diffuse and specular",
            {"want": want},
        )
    )
    if base.texture is None and specular.texture is None:
        made = metallic_of_specular(
            np.array(base.factor), specular_reflectance(material, np.array(specular.factor))
        )
        draft.given = replace(
            draft.given,
            factor=tuple(float(v) for v in made.base_color)
            if want == "base_color"
            else (float(made.metalness),),
        )
    elif draft.given.texture is None:
        # It is pictured where the other one is.
        other = specular if want == "base_color" else base
        draft.given = replace(draft.given, texture=other.texture)


def specular_reflectance(material: Material, color: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """Reflectance straight ahead: ((n - 1) / (n + 1))^2 x weight x colour, at most 1
    (KHR_materials_specular).
    """
    index = material.inputs["ior"].factor[0] if "ior" in material.inputs else 1.5
    weight = material.inputs["specular"].factor[0] if "specular" in material.inputs else 1.0
    return np.minimum(fresnel_zero(index) * weight * color, 1)


def index_is_level(material: Material, destination: Sheet) -> bool:
    """Whether an index of refraction is said by the specular level: the destination takes only the level, and
    no image is in the way.
    """
    index = material.inputs.get("ior")
    if (
        index is None
        or is_default("ior", index)
        or knows(destination, "ior")
        or not knows(destination, "specular")
    ):
        return False
    weight = material.inputs.get("specular")
    return index.texture is None and (weight is None or weight.texture is None)


def level_for_index(draft: Draft, material: Material) -> None:
    """An index of refraction as the specular level with the same reflectance; a level cannot say more than
    its 1.
    """
    weight = material.inputs["specular"].factor[0] if "specular" in material.inputs else 1.0
    level = level_of_index(draft.given.factor[0]) * weight
    draft.target = "specular"
    draft.steps.append(
        Step("value", f"index {draft.given.factor[0]:g} as specular level {min(level, 1):.2f}")
    )
    draft.given = replace(draft.given, factor=(min(level, 1.0),))
    capped(draft, level)


def capped(draft: Draft, level: float) -> None:
    if level > 1 + 1e-6:
        draft.mark, draft.reason = "close", f"A level of {level:.2f} would be needed; 1 is the most there is."
