"""Layers over an input: decals, washes and masks, blended in linear light.

Blend formulas are those of W3C Compositing and Blending Level 1, section 9, on linear values; ``add`` is its
``plus-lighter`` without the
clip, and MaterialX 1.39 has the same four as ``mix``, ``multiply``, ``plus`` and ``screen``. Relief lies over
relief by its directions: it covers it, or bends it further.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, get_args

import numpy as np
import numpy.typing as npt

from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.scene.geometry import blended
from trasloco.scene.images import Image, pixels
from trasloco.scene.model import Blend, Input, Layer, Primitive, Texture
from trasloco.scene.passes import normal_vectors
from trasloco.scene.resolve import input_values, read_texture
from trasloco.scene.sampling import bilinear, placed

Floats = npt.NDArray[np.float32]
BLENDS: tuple[str, ...] = get_args(Blend)
MOST_FLAT = 4096
"""The side up to which an image grows by the repeats of what lies over it."""


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


def bent_over(below: Floats, layer: Floats, amount: Floats | float, blend: str) -> Floats:
    """Directions (..., 3) of relief with a layer of relief over them, of length one.

    ``add`` tells the layer along what lies below, whose normal takes the place of its own, as MaterialX's
    normalmap does with what its ``normal`` is given.
    """
    upright = layer[..., :2] + layer[..., 2:] * below[..., :2], layer[..., 2:] * below[..., 2:]
    mixed = _unit(np.concatenate(upright, axis=-1)) if blend == "add" else layer
    return _unit(below + amount * (mixed - below))


def _unit(directions: Any) -> Floats:
    length = np.linalg.norm(directions, axis=-1, keepdims=True)
    return np.asarray(directions / np.maximum(length, 1e-6), np.float32)


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
    """Whether all images of an input lie alike, or repeat a whole number of times on what the first lies on,
    so that its layers can be flattened without knowing the mesh.
    """
    return not any(layer.bounded for layer in given.layers) and all(
        repeats(texture, given.textures[0]) is not None for texture in given.textures
    )


def repeats(texture: Texture, first: Texture) -> tuple[int, int] | None:
    """How often an image lies across and down the square that the first lies on; None where that is no whole
    number, or ends.
    """
    if placement_of(texture) == placement_of(first):
        return 1, 1
    whole = (
        round(texture.scale[0] / (first.scale[0] or 1.0)),
        round(texture.scale[1] / (first.scale[1] or 1.0)),
    )
    meant = whole[0] * first.scale[0], whole[1] * first.scale[1]
    alike = (
        texture.uv_set == first.uv_set
        and texture.rotation_rad == first.rotation_rad
        and (whole[0] == whole[1] or first.rotation_rad == 0)
        and texture.stretch == first.stretch == 1.0
        and texture.wrap == first.wrap == ("repeat", "repeat")
    )
    return whole if alike and min(whole) > 0 and np.allclose(texture.scale, meant, rtol=1e-5) else None


def drawn_size(texture: Texture, given: Input, images: Mapping[str, Image]) -> tuple[int, int]:
    """The size (width, height) of what an image covers with its repeats, where an input is flattened."""
    image, (across, down) = images[texture.image], repeats(texture, given.textures[0]) or (1, 1)
    return image.width * across, image.height * down


def flat_size(given: Input, images: Mapping[str, Image]) -> tuple[int, int]:
    """The size (width, height) at which no image of an input that is flattened loses a texel; what repeats
    makes it no larger than :data:`MOST_FLAT`.
    """
    held = [texture for texture in given.textures if texture.image in images]
    drawn = [drawn_size(texture, given, images) for texture in held]
    once = [(images[texture.image].width, images[texture.image].height) for texture in held]
    width, height = (
        min(max(many), max(MOST_FLAT, *one))
        for many, one in zip(zip(*drawn, strict=True), zip(*once, strict=True), strict=True)
    )
    return width, height


def blends_of(name: str) -> tuple[str, ...]:
    """How layers may lie over an input."""
    return ("over", "add") if name in VECTORS else () if name == "height" else BLENDS


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
        covered = _over(name, values, layer, images, at)
        if layer.bounded:
            uv = placed(uv_of(layer.texture), layer.texture)
            covered = np.where(((uv >= 0) & (uv <= 1)).all(axis=-1, keepdims=True), covered, values)
        values = covered
    return np.asarray(values, np.float32)


def _over(name: str, values: Any, layer: Layer, images: Mapping[str, Image], at: Any) -> Floats:
    count = values.shape[-1]
    texels = texture_values(layer.texture, images, count)
    mask = texture_values(layer.mask, images, 1) if layer.mask is not None else None
    if texels is None or (layer.mask is not None and mask is None):
        return np.asarray(values, np.float32)
    amount = layer.weight * (at(layer.mask, mask) if mask is not None else 1.0)
    if name in VECTORS:
        lies = layer.texture
        bends = _unit(at(lies, normal_vectors(texels, lies.green_up, lies.strength)))
        return bent_over(_unit(values), bends, amount, layer.blend)
    return laid_over(
        values, at(layer.texture, texels) * np.asarray(layer.factor, np.float32), amount, layer.blend
    )


def flattened(name: str, given: Input, images: Mapping[str, Image], width: int, height: int) -> Floats:
    """An input whose images lie alike (:func:`lie_alike`) as one image, linear (height, width, C), each image
    read where the texel's middle is; relief as unit vectors.
    """
    first = given.textures[0] if given.textures else None
    y, x = np.mgrid[0:height, 0:width]
    uv = np.stack([(x + 0.5) / width, (y + 0.5) / height], axis=-1)

    def at(texture: Texture, texels: Floats) -> Floats:
        lies = placement_of(texture) == placement_of(first)
        if lies and texels.shape[:2] == (height, width):
            return texels
        return bilinear(
            texels, uv if lies else _on(texture, first, uv), Texture(texture.image, wrap=texture.wrap)
        )

    count = INPUTS[name].channels
    values = np.broadcast_to(np.asarray(given.factor, np.float32), (height, width, count))
    image = images.get(given.texture.image) if given.texture is not None else None
    if given.texture is not None and image is not None and image.usable:
        values = at(given.texture, input_values(name, Input(given.factor, given.texture), image))
    for layer in given.layers:
        values = _over(name, values, layer, images, at)
    return np.asarray(values, np.float32)


def _on(texture: Texture, first: Texture | None, uv: Any) -> Any:
    """Where an image is read at places on the square that the first lies on: y = k (x - offset of the first)
    + its own offset, k its repeats.
    """
    assert first is not None
    times = repeats(texture, first) or (1, 1)
    return (uv - np.asarray(first.offset)) * np.asarray(times) + np.asarray(texture.offset)
