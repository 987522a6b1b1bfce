"""A destination as its materials are brought to its terms before they are drawn together."""

from __future__ import annotations

from trasloco.inputs.table import INPUTS
from trasloco.scene.model import AlphaMode, Material
from trasloco.sheets.model import ImageRules, ImageSet, InputRule, Sheet


def one_a_part(destination: Sheet) -> bool:
    """Whether a destination has one material for each part."""
    return destination.structure.slots == "one a part"


def by_itself(destination: Sheet) -> Sheet:
    """The destination as it takes one material alone, which is drawn together with no other."""
    if not one_a_part(destination):
        return destination
    slots = "kept" if destination.structure.pivots else "by material"
    structure = destination.structure.model_copy(update={"slots": slots})
    return destination.model_copy(update={"structure": structure})


def between(destination: Sheet) -> Sheet:
    """The same inputs, each image as it lies and by itself, each number beside it, nothing made smaller."""
    rules = destination.materials
    held = [name for one in rules.sets for name in one.channels.values()]
    materials = rules.model_copy(
        update={
            "inputs": {name: InputRule(multiplies=True) for name in dict.fromkeys([*rules.inputs, *held])},
            "sets": [_alone(name) for name in held],
            "vertex_color": "multiplies",
            "texture_transform": True,
            "wraps": "any",
            "cut_at": "any",
            "relief_strength": "beside",
        }
    )
    structure = destination.structure.model_copy(
        update={"slots": "kept", "uv_sets": "any", "colors": True, "tangents": True, "normals": True}
    )
    return destination.model_copy(
        update={
            "materials": materials,
            "structure": structure,
            "images": ImageRules(depth=16),
            "conventions": destination.conventions.model_copy(update={"normal_green": "up"}),
        }
    )


def _alone(name: str) -> ImageSet:
    spec = INPUTS[name]
    return ImageSet(
        name=name,
        channels={"rgb" if spec.channels == 3 else "r": name},
        encoding="srgb" if spec.color else "linear",
    )


def see_through_of(worn: list[Material]) -> tuple[AlphaMode, float]:
    """See-through of what is drawn from several materials, and where it is cut: blended where one is; cut
    where they all are cut, at one half unless they agree.
    """
    modes = {material.alpha_mode for material in worn}
    cuts = {material.alpha_cutoff for material in worn if material.alpha_mode == "mask"}
    mode: AlphaMode = "blend" if "blend" in modes else "mask" if "mask" in modes else "opaque"
    return mode, cuts.pop() if mode == "mask" and len(cuts) == 1 else 0.5
