"""Brushed directions that glTF keeps in the red and green of an anisotropy image."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from trasloco.formats.gltf_reading import Reading
from trasloco.scene.images import Image, pixels, unit_floats
from trasloco.scene.model import Input, Material

_ALIKE_RAD = math.radians(3)


def brushed(reading: Reading, material: Material, images: Mapping[str, Image]) -> Material:
    """The material turned by the mean direction of its anisotropy image (KHR_materials_anisotropy: red and
    green are a direction from -1 to 1 in tangent space); where directions differ, that is told.
    """
    given = material.inputs.get("anisotropy")
    image = images.get(given.texture.image) if given is not None and given.texture is not None else None
    if image is None or not image.usable or image.channels < 3:
        return material
    ways = unit_floats(pixels(image))[..., :2].reshape(-1, 2).astype(np.float64) * 2 - 1
    lengths = np.linalg.norm(ways, axis=1)
    ways = ways[lengths > 0.1] / lengths[lengths > 0.1, None]
    if not len(ways):
        return material
    # A brush stroke is the same backwards: directions are doubled, so that opposite ones agree.
    doubled = 2 * np.arctan2(ways[:, 1], ways[:, 0])
    mean = complex(np.mean(np.exp(1j * doubled)))
    turn = math.atan2(mean.imag, mean.real) / 2
    off = np.angle(np.exp(1j * (doubled - 2 * turn))) / 2
    if float(np.sqrt(np.mean(off * off))) > _ALIKE_RAD:
        reading.note(
            "brushed",
            "Directions of brushing in an image",
            f"{material.name} · they differ by {math.degrees(float(np.sqrt(np.mean(off * off)))):.0f}° in the mean",
            "One number is read for all of it, their mean; the strength is read place by place.",
            (material.id,),
            weight=35,
        )
    if abs(turn) <= _ALIKE_RAD / 2:
        return material
    turned = material.inputs.get("anisotropy_rotation", Input((0.0,)))
    rotation = replace(turned, factor=(turned.factor[0] + turn,))
    return replace(material, inputs={**material.inputs, "anisotropy_rotation": rotation})
