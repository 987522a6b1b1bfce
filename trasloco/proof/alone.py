"""One input shown alone on the model: its values where they lie, nothing lit, for checking that each map
landed in its place.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.images import Image, encode, identify
from trasloco.scene.model import Input, Material, Scene, Texture
from trasloco.scene.resolve import input_values

_SIDE = 1024
_SAMPLES = 4


def alone(scene: Scene, name: str) -> Scene:
    """The scene with every material unlit and showing one input: colours as they are, numbers as grey,
    directions as n / 2 + 1/2.
    """
    materials: dict[str, Material] = {}
    images: dict[str, Image] = {}
    known: dict[Any, str] = {}
    for id, material in scene.materials.items():
        given = material.inputs.get(name, Input(INPUTS[name].default))
        image = scene.images.get(given.texture.image) if given.texture is not None else None
        if given.texture is None or image is None or not image.usable:
            shown = Input(_constant(name, given), vertex_color=given.vertex_color, layers=given.layers)
        else:
            key = (image.digest, given)
            if key not in known:
                values = _shown(name, input_values(name, given, image))
                step = max(1, -(-max(values.shape[:2]) // _SIDE))
                made = f"image:alone-{len(known)}"
                texels = np.round(np.clip(values[::step, ::step], 0, 1) * 65535).astype(np.uint16)
                images[made] = identify(
                    made, made, f"{made}.png", encode(np.ascontiguousarray(texels), "png")
                )
                known[key] = made
            texture = given.texture
            shown = Input(
                (1.0, 1.0, 1.0),
                Texture(
                    known[key],
                    "rgb",
                    "linear",
                    texture.uv_set,
                    texture.offset,
                    texture.rotation_rad,
                    texture.scale,
                    texture.wrap,
                ),
                vertex_color=given.vertex_color,
                layers=given.layers,
            )
        cut = (
            {"opacity": material.inputs["opacity"]}
            if "opacity" in material.inputs and name != "opacity" and material.alpha_mode == "mask"
            else {}
        )
        materials[id] = Material(
            id,
            material.name,
            {"base_color": shown, **cut},
            material.alpha_mode if cut else "opaque",
            material.alpha_cutoff,
            unlit=True,
            double_sided=True,
        )
    return replace(scene, materials=materials, images={**scene.images, **images}, lights={}, environment=None)


def _shown(name: str, values: npt.NDArray[Any]) -> npt.NDArray[Any]:
    values = values * 0.5 + 0.5 if name in VECTORS or name == "height" else values
    return values if values.shape[-1] == 3 else np.repeat(values[..., :1], 3, axis=-1)


def _constant(name: str, given: Input) -> tuple[float, float, float]:
    if name in VECTORS or name == "height":
        return (0.5, 0.5, 1.0)
    values = [v if np.isfinite(v) else 1.0 for v in given.factor]
    return (values[0], values[1], values[2]) if len(values) == 3 else (values[0],) * 3


def alone_picture(scene: Scene, name: str, view: View, width: int, height: int) -> npt.NDArray[np.uint8]:
    """Codes (H, W, 3): colours through the sRGB curve, everything else as it is; mid-grey where there is
    nothing.
    """
    picture = render(
        flatten(alone(scene, name)), view, Quality(width=width, height=height, samples=_SAMPLES, bounces=1)
    )
    values = np.clip(picture.radiance, 0, 1)
    codes = linear_to_srgb(values) if INPUTS[name].color else values
    there = picture.ids[..., :1] >= 0
    return np.asarray(np.round(np.where(there, codes, 119 / 255) * 255), np.uint8)
