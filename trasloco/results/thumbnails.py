"""Small pictures of texels and values, and of images of light."""

from __future__ import annotations

from typing import Any

import numpy as np

from trasloco.fit.formulas.codes import encode_values
from trasloco.fit.formulas.resampling import resample
from trasloco.scene.color import luminance
from trasloco.scene.images import Image, encode, identify, pixels, unit_floats
from trasloco.scene.resolve import channel_of, color_of
from trasloco.scene.texels_held import Pixels


def image_thumbnail(image: Image, side: int, channel: str = "rgb") -> bytes:
    """PNG of an image as it is, at most ``side`` texels, or of one of its channels as grey.

    Thinned before anything is made of it: a large image takes its own bytes, and not many times that.
    """
    whole = pixels(image)
    step = max(min(whole.shape[:2]) // (4 * side), 1)
    thin = np.ascontiguousarray(whole[::step, ::step])
    texels = unit_floats(
        color_of(thin) if channel == "rgb" else np.repeat(channel_of(thin, channel)[..., None], 3, axis=2)
    )
    return encode(
        shrunk(
            encode_values(texels / (texels + _bright(texels)), "srgb") if image.floating else texels, side
        ),
        "png",
    )


def file_thumbnail(path: str, data: bytes, side: int) -> bytes | None:
    """PNG of an image file, floating ones brought to what a screen shows; None for what is no image that is
    read.
    """
    image = identify(path, path.rsplit("/", 1)[-1], path, data)
    return image_thumbnail(image, side) if image.usable else None


def _bright(texels: Any) -> float:
    """What is shown at half of white in a picture of light: five times its middle brightness, so that skies
    in nit are seen as well as pictures around 1.
    """
    lit = luminance(texels)
    lit = lit[lit > 1e-9]
    return float(max(5 * np.exp(np.log(lit).mean()), 1e-6)) if lit.size else 1.0


def shrunk(values: Any, side: int) -> Pixels:
    """Encoded values (H, W, 3) as 8-bit texels of at most ``side``."""
    values = pooled(values, side)
    height, width = values.shape[:2]
    scale = min(1.0, side / max(height, width))
    if scale < 1:
        values = resample(values, max(1, round(width * scale)), max(1, round(height * scale)))
    return np.asarray(np.round(np.clip(values, 0, 1) * 255), np.uint8)


def pooled(values: Any, side: int) -> Any:
    """Means of whole blocks, down to no less than ``side``: nearly all of the shrinking, at a fraction of a
    filter's cost.
    """
    factor = max(values.shape[:2]) // side
    if factor < 2 or min(values.shape[:2]) < factor:
        return values
    rows, columns = values.shape[0] // factor * factor, values.shape[1] // factor * factor
    blocks = values[:rows, :columns].reshape(
        rows // factor, factor, columns // factor, factor, values.shape[2]
    )
    return blocks.mean(axis=(1, 3), dtype=np.float32)


def value_picture(values: Any, vectors: bool, color: bool, side: int) -> bytes:
    """PNG of an input's values (H, W, C): colours as sRGB, numbers as grey, directions as usual."""
    values = pooled(values, side)
    shown = values * 0.5 + 0.5 if vectors else encode_values(values, "srgb" if color else "linear")
    if shown.shape[2] == 1:
        shown = np.repeat(shown, 3, axis=2)
    return encode(shrunk(np.ascontiguousarray(shown, dtype=np.float32), side), "png")
