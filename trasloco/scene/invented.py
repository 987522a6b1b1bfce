"""Relief made up from colour: never measured from anything, and named as invented wherever it goes."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.scene.color import LUMINANCE
from trasloco.scene.model import Texture
from trasloco.scene.relief import normal_from_height

Floats = npt.NDArray[np.float32]
INVENTED = "image:invented"
"""How the ids of images begin that nobody made."""


def invented_height(color: npt.NDArray[Any], fine: float = 0.5, coarse: float = 24.0) -> Floats:
    """Height made up from linear colour (H, W, 3): bright stands out. Never measured from anything; mark what
    comes of it as invented.

    Luminance between two Gaussian scales in texels (a difference of Gaussians that repeats), stretched so
    that its 2nd and 98th percentile
    are 0 and 1: slow changes of colour are paint, not relief.
    """
    from scipy.ndimage import gaussian_filter

    light = (np.asarray(color, np.float32) * np.asarray(LUMINANCE, np.float32)).sum(axis=-1)
    band = gaussian_filter(light, fine, mode="wrap") - gaussian_filter(light, coarse, mode="wrap")
    low, high = np.percentile(band, 2), np.percentile(band, 98)
    return np.asarray(np.clip((band - low) / max(float(high - low), 1e-6), 0, 1), np.float32)


def invented_normals(color: npt.NDArray[Any], depth: float) -> Floats:
    """Normals of :func:`invented_height` at a relief depth (fraction of one repeat)."""
    return normal_from_height(invented_height(color), depth)


def lightened(color: npt.NDArray[Any], normals: npt.NDArray[Any], share: float = 1.0) -> Floats:
    """Linear colour (H, W, 3) that looks under frontal light with these normals as it did without them.

    A Lambertian texel tilted by theta receives cos theta = nz of the light from straight ahead; dividing by
    it undoes what a normal map made
    from painted shading would shade a second time. ``share`` 0 to 1 does so in part. Never brighter than 1.
    """
    tilt = np.maximum(np.asarray(normals, np.float32)[..., 2:3], 0.2)
    return np.asarray(
        np.clip(np.asarray(color, np.float32) * (1 + np.float32(share) * (1 / tilt - 1)), 0, 1), np.float32
    )


def is_invented(image: str) -> bool:
    """Whether an image, by its id, was made by nobody."""
    return image.startswith(INVENTED)


def made_from(image: str) -> str:
    """The id of the image that an invented one was made from."""
    return "image:" + image[len(INVENTED) :].partition(":")[2]


def invention(relief: Texture, base: Texture | None) -> dict[str, Any]:
    """Invented relief as the decision that invents it again."""
    return {"depth": relief.strength, "lighten": base is not None and is_invented(base.image)}
