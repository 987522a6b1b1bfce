"""Layers over an input: decals, washes and masks, blended in linear light.

Blend formulas are those of W3C Compositing and Blending Level 1, section 9, on linear values; ``add`` is its
``plus-lighter`` without the
clip, and MaterialX 1.39 has the same four as ``mix``, ``multiply``, ``plus`` and ``screen``.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, get_args

import numpy as np
import numpy.typing as npt

from trasloco.inputs.table import INPUTS
from trasloco.scene.geometry import blended
from trasloco.scene.images import Image, pixels
from trasloco.scene.model import Blend, Input, Layer, Primitive, Texture
from trasloco.scene.resolve import input_values, read_texture
from trasloco.scene.sampling import bilinear, placed

Floats = npt.NDArray[np.float32]
BLENDS: tuple[str, ...] = get_args(Blend)


def laid_over(below: Floats, layer: Floats, amount: Floats | float, blend: str) -> Floats:
    """Values (..., C) with a layer over them. ``amount`` (..., 1) is weight x mask in [0, 1]."""
    mixed = layer
    if blend == "multiply":
        mixed = below * layer
    elif blend == "add":
        mixed = below + layer
    elif blend == "screen":
        mixed = below + layer - below * layer
    return np.asarray(below + amount * (mixed - below), np.float32)


def placement_of(texture: Texture | None) -> tuple[object, ...]:
    """How an image lies on the surface; empty without one."""
    return (
        ()
        if texture is None
        else (
            texture.uv_set,
            texture.offset,
            texture.rotation_rad,
            texture.scale,
            texture.wrap,
            texture.stretch,
        )
    )


def lie_alike(given: Input) -> bool:
    """Whether all images of an input lie alike, so that its layers can be flattened without knowing the mesh."""
    return (
        not any(layer.bounded for layer in given.layers)
        and len({placement_of(texture) for texture in given.textures}) <= 1
    )


def texture_values(texture: Texture, images: Mapping[str, Image], channels: int) -> Floats | None:
    """Texels (H, W, channels) as a texture means them, None when its image is missing."""
    image = images.get(texture.image)
    if image is None or not image.usable:
        return None
    values = read_texture(texture, pixels(image))
    values = values if values.ndim == 3 else values[..., None]
    return np.asarray(
        values if values.shape[2] == channels else np.repeat(values[..., :1], channels, axis=2), np.float32
    )


def values_on(
    name: str,
    given: Input,
    primitive: Primitive,
    images: Mapping[str, Image],
    corners: npt.NDArray[Any],
    weights: npt.NDArray[Any],
) -> Floats:
    """What an input is at points of a primitive, linear (N, C): factor x texture x vertex colour with its
    layers.

    Args:
        corners: (N, 3) vertex numbers. weights: (N, 3) barycentric.
    """
    count = INPUTS[name].channels

    def uv_of(texture: Texture) -> npt.NDArray[Any]:
        uv = (
            primitive.uvs[texture.uv_set]
            if texture.uv_set < len(primitive.uvs)
            else np.zeros((len(primitive.positions), 2), np.float32)
        )
        return blended(uv, corners, weights)

    def at(texture: Texture, texels: Floats) -> Floats:
        return bilinear(texels, uv_of(texture), texture)

    values: Floats = np.broadcast_to(np.asarray(given.factor, np.float32), (len(corners), count))
    image = images.get(given.texture.image) if given.texture is not None else None
    if given.texture is not None and image is not None and image.usable:
        values = at(given.texture, input_values(name, Input(given.factor, given.texture), image))
    if given.vertex_color and primitive.colors is not None:
        values = np.asarray(values * blended(primitive.colors[:, :count], corners, weights), np.float32)
    for layer in given.layers:
        covered = _over(values, layer, images, at)
        if layer.bounded:
            uv = placed(uv_of(layer.texture), layer.texture)
            covered = np.where(((uv >= 0) & (uv <= 1)).all(axis=-1, keepdims=True), covered, values)
        values = covered
    return np.asarray(values, np.float32)


def _over(values: Any, layer: Layer, images: Mapping[str, Image], at: Any) -> Floats:
    count = values.shape[-1]
    texels = texture_values(layer.texture, images, count)
    mask = texture_values(layer.mask, images, 1) if layer.mask is not None else None
    if texels is None or (layer.mask is not None and mask is None):
        return np.asarray(values, np.float32)
    amount = layer.weight * (at(layer.mask, mask) if mask is not None else 1.0)
    return laid_over(
        values, at(layer.texture, texels) * np.asarray(layer.factor, np.float32), amount, layer.blend
    )


def flattened(name: str, given: Input, images: Mapping[str, Image], width: int, height: int) -> Floats:
    """An input whose images lie alike as one image, linear (height, width, C), each image read where the
    texel's middle is.
    """
    y, x = np.mgrid[0:height, 0:width]
    uv = np.stack([(x + 0.5) / width, (y + 0.5) / height], axis=-1)

    def at(texture: Texture, texels: Floats) -> Floats:
        return (
            texels
            if texels.shape[:2] == (height, width)
            else bilinear(texels, uv, Texture(texture.image, wrap=texture.wrap))
        )

    count = INPUTS[name].channels
    values = np.broadcast_to(np.asarray(given.factor, np.float32), (height, width, count))
    image = images.get(given.texture.image) if given.texture is not None else None
    if given.texture is not None and image is not None and image.usable:
        values = at(given.texture, input_values(name, Input(given.factor, given.texture), image))
    for layer in given.layers:
        values = _over(values, layer, images, at)
    return np.asarray(values, np.float32)
