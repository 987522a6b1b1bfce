"""What an image is, in figures and words, and all images of a delivery as files."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from trasloco.at_rest import Bytes
from trasloco.errors import Refused
from trasloco.inventory.naming import legal_name, unique
from trasloco.inventory.seeing import sight_of
from trasloco.scene.color import linear_to_srgb, srgb_to_linear
from trasloco.scene.images import Image, pixels, unit_floats
from trasloco.scene.model import Scene
from trasloco.scene.resolve import color_of

_BINS, _MOST_SIDE = 64, 1024


@dataclass(frozen=True)
class ChannelFacts:
    """Counts of 64 equal bins from 0 to 1 (to the 99.5th percentile for floating images), and the range and
    mean of what was counted.
    """

    letter: str
    counts: tuple[int, ...]
    low: float
    high: float
    mean: float


@dataclass(frozen=True)
class ImageFacts:
    """``sees`` says in words what was seen in it; ``memory`` is bytes unpacked, without smaller levels."""

    channels: tuple[ChannelFacts, ...]
    sees: tuple[str, ...]
    memory: int


def image_facts(image: Image) -> ImageFacts:
    """Look at one image, from at most about 1024 texels a side.

    Raises:
        Refused: it is missing or cannot be decoded.
    """
    if not image.usable:
        raise Refused("There is no picture of it.", image.id, "Relink the image.")
    texels = pixels(image)
    step = max(max(texels.shape[:2]) // _MOST_SIDE, 1)
    values = unit_floats(np.ascontiguousarray(texels[::step, ::step]))
    letters = {1: "r", 2: "ra", 3: "rgb", 4: "rgba"}[image.channels]
    top = 1.0 if not image.floating else max(float(np.percentile(values[..., :3], 99.5)), 1e-6)
    channels = tuple(
        ChannelFacts(
            letter,
            tuple(int(n) for n in np.histogram(values[..., k], _BINS, (0, top))[0]),
            float(values[..., k].min()),
            float(values[..., k].max()),
            float(values[..., k].mean()),
        )
        for k, letter in enumerate(letters)
    )
    return ImageFacts(
        channels, tuple(_seen(image)), image.width * image.height * image.channels * max(image.depth // 8, 1)
    )


def _seen(image: Image) -> list[str]:
    sight = sight_of(image)
    sees = (
        ["directions of unit length: a normal map"]
        if sight.normals
        else ["grey in all channels"]
        if sight.grey
        else []
    )
    if sight.green is not None:
        sees.append(
            f"green points {sight.green.way}, confidence {sight.green.confidence:.0%}"
            if sight.green.way != "unsure"
            else "green direction cannot be told"
        )
    if sight.alpha != "none":
        sees.append(
            {
                "empty": "alpha the same everywhere",
                "cut": "alpha cuts a shape out",
                "soft": "alpha with soft values",
            }[sight.alpha]
        )
    powers = all(n & (n - 1) == 0 for n in (image.width, image.height))
    return [*sees, "sides are powers of two" if powers else "sides are not powers of two"]


def media_files(scene: Scene) -> dict[str, Bytes]:
    """Every image that came, embedded or loose, under a file name that is legal everywhere and its own."""
    taken: set[str] = set()
    found: dict[str, Bytes] = {}
    for image in scene.images.values():
        if image.data:
            stem, _, extension = image.name.rpartition(".")
            found[f"{unique(legal_name(stem or image.name), taken)}.{image.kind or extension or 'bin'}"] = (
                image.data
            )
    return found


@dataclass(frozen=True)
class Texel:
    """A colour at a place of an image: linear, and as sRGB codes of 8 bits; ``x`` and ``y`` count texels from
    the upper left.
    """

    linear: tuple[float, ...]
    srgb: tuple[int, ...]
    x: int
    y: int


def texel_at(image: Image, u: float, v: float) -> Texel:
    """The exact colour at (u, v) in 0…1 from the upper left.

    Integer files are taken as sRGB, floating ones as linear, as colour images are.
    """
    x, y = (min(max(int(place * size), 0), size - 1) for place, size in ((u, image.width), (v, image.height)))
    found = unit_floats(color_of(pixels(image))[y : y + 1, x : x + 1])[0, 0].astype(float)
    linear = found if image.floating else srgb_to_linear(found)
    return Texel(
        tuple(float(c) for c in linear),
        tuple(round(float(c) * 255) for c in np.clip(linear_to_srgb(linear), 0, 1)),
        x,
        y,
    )
