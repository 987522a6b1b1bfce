"""A destination as its materials are brought to its terms before they are drawn together."""

from __future__ import annotations

from collections.abc import Sequence

from trasloco.inputs.table import INPUTS
from trasloco.scene.model import Decision
from trasloco.sheets.layouts import fault_of_layout, has_geometry
from trasloco.sheets.model import ImageRules, ImageSet, InputRule, Sheet


def one_a_part(destination: Sheet) -> bool:
    """Whether a destination has one material for each part."""
    return destination.structure.slots == "one a part"


def drawn_so(destination: Sheet) -> Sheet | None:
    """The destination with one material for each part; None where it has that already, or cannot take it."""
    if one_a_part(destination) or destination.structure.slots == "none" or not has_geometry(destination):
        return None
    structure = destination.structure.model_copy(update={"slots": "one a part"})
    made = destination.model_copy(update={"structure": structure})
    return made if fault_of_layout(made) is None else None


def as_asked(destination: Sheet, decisions: Sequence[Decision]) -> Sheet:
    """The destination as it is delivered to: with one material for each part where that is asked for and it
    takes that.
    """
    asked = [d.value for d in decisions if d.field == "drawn_together"]
    return (drawn_so(destination) if asked and asked[-1] else None) or destination


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
