"""Proof pictures as files: both sides through exposure and curve, the difference on the one measure ramp."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.render.denoise import denoised
from trasloco.render.exposure import displayed, exposed, tone_curve
from trasloco.render.picture import Picture
from trasloco.scene.color import delta_e_of_linear, linear_to_srgb
from trasloco.scene.images import encode
from trasloco.scene.measure_ramp import MADDER, edges_of, measure_ramp

CONTOURS = (1.0, 2.3, 5.0)


def picture_png(picture: Picture, ev100: float) -> bytes:
    return encode(displayed(picture.radiance, ev100), "png")


def picture_exr(picture: Picture) -> bytes:
    """Radiance in nit as half floats, for other programs and for reading single pixels."""
    return encode(np.ascontiguousarray(np.clip(picture.radiance, 0, 65000)), "exr")


def preview_png(picture: Picture, ev100: float) -> bytes:
    """A picture on its way, without its noise; it is only looked at."""
    return encode(displayed(denoised(picture), ev100), "png")


@dataclass(frozen=True)
class PixelRead:
    """One pixel on both sides: linear radiance in nit, the displayed sRGB codes, and how far they are apart."""

    linear: tuple[tuple[float, ...], tuple[float, ...]]
    srgb: tuple[tuple[int, ...], tuple[int, ...]]
    delta_e: float


def pixel_at(
    reference: npt.NDArray[np.float32], arrival: npt.NDArray[np.float32], x: int, y: int, ev100: float
) -> PixelRead:
    """Read a pixel of two pictures of radiance (H, W, 3).

    Raises:
        Refused: it lies outside.
    """
    if not (0 <= y < reference.shape[0] and 0 <= x < reference.shape[1]) or reference.shape != arrival.shape:
        raise Refused("There is no such pixel.", f"{x}, {y}", "Point inside the picture.")
    both = [np.ascontiguousarray(side[y : y + 1, x : x + 1]) for side in (reference, arrival)]
    shown = [tone_curve(exposed(one, ev100)) for one in both]
    codes = [np.round(linear_to_srgb(one) * 255).astype(int) for one in shown]
    return PixelRead(
        (tuple(float(v) for v in both[0][0, 0]), tuple(float(v) for v in both[1][0, 0])),
        (tuple(int(v) for v in codes[0][0, 0]), tuple(int(v) for v in codes[1][0, 0])),
        float(delta_e_of_linear(shown[0], shown[1])[0, 0]),
    )


def difference_png(delta_e: npt.NDArray[np.float32]) -> bytes:
    """The ramp with madder lines where the smoothed difference crosses the verdict limit of what is seen when
    compared.
    """
    from scipy.ndimage import gaussian_filter

    picture = measure_ramp(delta_e)
    above = gaussian_filter(delta_e, 2.0) > CONTOURS[-1]
    picture[edges_of(above)] = MADDER
    return encode(picture, "png")


def flip_png(flip: npt.NDArray[np.float32]) -> bytes:
    """The FLIP map on the same ramp, ink at 1."""
    return encode(measure_ramp(flip, 1.0), "png")
