"""Layers over an input as values of decisions."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, replace
from typing import Any

from trasloco.errors import Refused
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.mends.texture_values import texture_of, texture_value
from trasloco.scene.layers import blends_of
from trasloco.scene.model import Layer, Scene, Texture

MOST_LAYERS = 8
"""What an input takes."""


def layer_value(layer: Layer) -> dict[str, Any]:
    """A layer as plain JSON values."""
    return {
        **asdict(layer),
        "factor": list(layer.factor),
        "texture": texture_value(layer.texture),
        "mask": texture_value(layer.mask) if layer.mask is not None else None,
    }


def layers_of(
    values: list[Mapping[str, Any]], name: str, scene: Scene, target: str, below: Texture | None = None
) -> tuple[Layer, ...]:
    """Layers out of their values. Relief has the green of what lies ``below`` unless it is said otherwise.

    Raises:
        Refused: an image that is not there, a factor of the wrong length, a blend that the input has not.
    """
    count = INPUTS[name].channels
    made = []
    for value in values:
        # An image over a colour is a colour, over a number data, unless it is said otherwise.
        blend = value.get("blend", "over")
        if blend not in blends_of(name):
            raise Refused(
                f"{INPUTS[name].label} takes no layer by {blend}.",
                target,
                f"Lay it by {' or '.join(blends_of(name))}." if blends_of(name) else "Take the layer away.",
            )
        usual: dict[str, Any] = {"encoding": "srgb" if INPUTS[name].color else "linear"}
        if name in VECTORS and below is not None:
            usual["green_up"] = below.green_up
        texture = texture_of({**usual, **value["texture"]}, scene, target)
        mask = texture_of(value["mask"], scene, target) if value.get("mask") is not None else None
        factor = tuple(float(v) for v in value.get("factor") or (1.0,) * count)
        if len(factor) != count:
            raise Refused(
                f"{INPUTS[name].label} takes {count} number{'s' if count > 1 else ''}.",
                target,
                "Give that many for each layer.",
            )
        if mask is not None and mask.channels == "rgb":
            mask = replace(mask, channels="r")
        if name in VECTORS:
            texture = replace(texture, channels="rgb", encoding="linear")
        if count == 1 and texture.channels == "rgb":
            texture = replace(texture, channels="r")
        made.append(
            Layer(
                texture,
                factor,
                mask,
                blend,
                float(value.get("weight", 1.0)),
                bool(value.get("bounded", False)),
            )
        )
    return tuple(made)
