"""What the steps of a crossing say of it."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from trasloco.fit.formulas.changing import changed
from trasloco.fit.model import Crossing
from trasloco.inputs.table import VECTORS
from trasloco.scene.texels_held import Pixels


def has_step(crossing: Crossing, *kinds: str) -> bool:
    return any(step.kind in kinds for step in crossing.steps)


def vectors_in(crossing: Crossing) -> bool:
    """Whether a crossing's texels are directions."""
    return crossing.name in VECTORS or crossing.name == "height"


def baked(crossing: Crossing) -> bool:
    """Whether it is drawn into an atlas: vertex colours, or layers that lie otherwise than what is below
    them.
    """
    return any(step.settings.get("bake") for step in crossing.steps)


def how_baked(crossings: Iterable[Crossing]) -> str:
    """How what a material has no image for becomes one: ``atlas`` or ``palette``; empty when they do not."""
    return next(
        (
            str(step.settings.get("how", "atlas"))
            for crossing in crossings
            for step in crossing.steps
            if step.settings.get("bake")
        ),
        "",
    )


def flattened_here(crossing: Crossing) -> bool:
    """Whether its layers are flattened texel by texel, all lying alike."""
    return any(step.kind == "flatten" and not step.settings.get("bake") for step in crossing.steps)


def beside_image(crossing: Crossing) -> bool:
    """Whether a number travels beside its image and multiplies it."""
    return any(step.settings.get("beside") for step in crossing.steps)


def strength_beside(crossing: Crossing) -> float:
    """The normal scale or occlusion strength that travels as a number beside the image; 1 where it is written
    into the texels.
    """
    texture = crossing.given.texture
    holds_strength = crossing.name in VECTORS or crossing.name == "occlusion"
    if texture is None or not holds_strength or has_step(crossing, "shade", "flatten", "strengthen"):
        return 1.0
    return texture.strength


def met_by_a_fit(crossing: Crossing) -> bool:
    """Whether it stays behind, and others were fitted to stand in for it."""
    return any(step.settings.get("covers") for step in crossing.steps)


def as_it_lands(crossing: Crossing, values: Pixels) -> Pixels:
    """What an input says in terms of the one it lands on: see-through is the opposite of opacity; what was
    fitted is changed in that place.
    """
    values = 1 - values if has_step(crossing, "see_through") else values
    for step in crossing.steps:
        if step.kind == "fit" and "gain" in step.settings:
            values = changed(values, step.settings["gain"], step.settings["offset"])
        elif step.kind == "fit" and "value" in step.settings:
            values = np.broadcast_to(np.asarray(step.settings["value"], np.float32), values.shape)
    return values
