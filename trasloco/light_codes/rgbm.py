"""Light as colour times a factor that the channels of a texel share: value = (RGB x M)^2."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from trasloco.light_codes.code import Floats, LightCode
from trasloco.scene.texels_held import Pixels


def rgbm_codes(share: Floats) -> npt.NDArray[np.uint8]:
    """Codes (H, W, 4) of values in [0, 1], with the least M that holds the brightest channel, so that the
    colours keep most of their 8 bits.
    """
    root = np.sqrt(np.clip(share, 0, 1))
    m = np.maximum(np.ceil(root.max(axis=-1, keepdims=True) * 255 - 1e-4), 1) / 255
    return np.concatenate([np.round(root / m * 255), m * 255], axis=-1).clip(0, 255).round().astype(np.uint8)


def rgbm_values(codes: Pixels) -> Floats:
    """Values (H, W, 3) of :func:`rgbm_codes`.

    Raises:
        ValueError: there is no fourth channel to multiply by.
    """
    if codes.shape[-1] != 4 or codes.dtype != np.uint8:
        raise ValueError("RGBM has four channels of 8 bits")
    scaled = codes.astype(np.float32) / np.float32(255)
    return np.asarray((scaled[..., :3] * scaled[..., 3:4]) ** 2, np.float32)


CODE = LightCode(
    "rgbm",
    "As RGBM: the square of colour times a shared factor",
    "8 8 8 × 8",
    4,
    "png",
    color=False,
    blocks=True,
    encode=rgbm_codes,
    decode=rgbm_values,
)
