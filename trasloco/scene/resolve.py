"""What an input says, as pixels in neutral terms: linear values, normals with green up, roughness and not
gloss.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.scene.color import decode_srgb8, roughness_of_gloss, srgb_to_linear
from trasloco.scene.images import Image, pixels, unit_floats
from trasloco.scene.model import Input, Material, Scene, Texture
from trasloco.scene.passes import normal_vectors
from trasloco.scene.relief import normal_from_height
from trasloco.scene.spaces import to_linear
from trasloco.scene.texels_held import Pixels

Floats = npt.NDArray[np.float32]
_CHANNEL = {"r": 0, "g": 1, "b": 2, "a": 3}


def drawn_images(scene: Scene) -> list[Image]:
    """The images that materials read."""
    used = {
        texture.image
        for material in scene.materials.values()
        for given in material.inputs.values()
        for texture in given.textures
    }
    return [image for image in scene.images.values() if image.id in used]


def channel_of(texels: Pixels, channel: str) -> Pixels:
    """One channel, (H, W). A grey image answers for r, g and b; an absent alpha is opaque."""
    count = texels.shape[2]
    if channel == "a":
        if count in (2, 4):
            return np.asarray(texels[..., count - 1])
        full = 1 if texels.dtype.kind == "f" else np.iinfo(texels.dtype).max
        return np.full(texels.shape[:2], full, texels.dtype)
    if count <= 2:
        return np.asarray(texels[..., 0])
    return np.asarray(texels[..., _CHANNEL[channel]])


def color_of(texels: Pixels) -> Pixels:
    """The colour channels, (H, W, 3)."""
    return np.asarray(texels[..., :3] if texels.shape[2] >= 3 else np.repeat(texels[..., :1], 3, axis=2))


def read_texture(texture: Texture, texels: Pixels) -> Floats:
    """Texels as the texture means them, before any factor: (H, W) for one channel, (H, W, 3) for rgb; linear
    float32.
    """
    if texture.channels == "rgb" and texture.space:
        values = to_linear(unit_floats(color_of(texels)), texture.space)
    elif texture.channels == "rgb":
        chosen = color_of(texels)
        if texture.encoding == "srgb":
            values = (
                decode_srgb8(chosen)
                if chosen.dtype == np.uint8
                else (srgb_to_linear(unit_floats(chosen)) if chosen.dtype != np.float32 else chosen)
            )
        else:
            values = unit_floats(chosen)
    else:
        values = unit_floats(channel_of(texels, texture.channels))
    if texture.invert:
        values = (
            1 - values
            if texture.curve == "linear"
            else roughness_of_gloss(values, texture.curve, texture.curve_top)
        )
    return values if texture.floor == 0.0 else texture.floor + (1 - texture.floor) * values


def input_values(name: str, given: Input, image: Image | None, texels: Pixels | None = None) -> Floats:
    """The whole input without vertex colour: texture x factor for scalars and colours, unit vectors for
    normals.

    Returns (H, W, C) linear float32 with C of the input; (1, 1, C) when there is no image. Occlusion strength
    follows
    glTF 2.0 section 3.9.3: 1 + strength * (value - 1). ``height`` resolves to the normals it causes.
    ``texels`` stands in for the image's own, at another size.
    """
    spec = INPUTS[name]
    if given.texture is None or image is None:
        if name == "height":
            return np.array([[[0, 0, 1]]], np.float32)
        return np.asarray(given.factor, np.float32).reshape(1, 1, -1)
    values = read_texture(given.texture, pixels(image) if texels is None else texels)
    if name in VECTORS:
        return normal_vectors(values, given.texture.green_up, given.texture.strength)
    if name == "height":
        return normal_from_height(
            values if values.ndim == 2 else values[..., 0], given.texture.strength * given.factor[0]
        )
    if name == "occlusion":
        values = 1 + np.float32(given.texture.strength) * (values - 1)
    if values.ndim == 2:
        values = values[..., None]
    elif spec.channels == 1:
        values = values[..., :1]
    return np.asarray(values * np.asarray(given.factor, np.float32), np.float32)


def emission_in_one(material: Material) -> tuple[float, ...]:
    """The number of emission times its strength, for formats that have one place for both."""
    given = material.inputs.get("emission", Input((0.0, 0.0, 0.0)))
    strength = emission_strength(material)
    return tuple(value * strength for value in given.factor)


def emission_strength(material: Material) -> float:
    """What the emission of a material is multiplied by."""
    return float(material.inputs.get("emission_strength", Input((1.0,))).factor[0])
