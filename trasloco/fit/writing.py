"""Image files as a sheet asks for them: where a loss is allowed, as small as it allows."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from trasloco.fit.model import PlannedImage
from trasloco.scene.color import delta_e_of_linear, srgb_to_linear
from trasloco.scene.images import encode, identify, pixels
from trasloco.scene.texels_held import Pixels

_QUALITIES = {
    "jpg": (10, 20, 30, 40, 50, 60, 70, 80, 85, 90, 95, 98, 100),
    "ktx2": (1, 20, 40, 60, 70, 80, 90, 95, 100),
}
_MOST_COMPARED = 512
"""Rows and columns of texels that a loss is measured on, spread over the image."""


def written(texels: Pixels, planned: PlannedImage) -> bytes:
    """The file of a planned image.

    Where its kind has qualities and a loss is allowed, the lowest quality that loses no more in the mean; the
    best one where none does. JPEG has colours at half the size of greys, as usual, unless that alone loses
    more.
    """
    srgb, ladder = planned.encoding == "srgb", _QUALITIES.get(planned.kind, ())
    if not planned.loss or not ladder:
        return encode(texels, planned.kind, srgb, coding=planned.coding)
    made, kept = _smallest(texels, planned, ladder, srgb)
    if not kept and planned.kind == "jpg" and srgb:
        made, kept = _smallest(texels, planned, ladder, halved=False)
    return made


def _smallest(
    texels: Pixels, planned: PlannedImage, ladder: Sequence[int], halved: bool
) -> tuple[bytes, bool]:
    """The file of the lowest quality that loses no more than is allowed, else of the best, and whether it
    does. ``halved``: as images of colours are coded, not of what says different things by channel.
    """
    made: dict[int, bytes] = {}

    def keeps(step: int) -> bool:
        made[step] = encode(texels, planned.kind, halved, ladder[step], planned.coding)
        got = pixels(identify("image:tried", "tried", planned.path, made[step]))
        return mean_loss(texels, got, planned.encoding == "srgb") <= planned.loss

    low, high = 0, len(ladder)  # the lowest step that keeps it lies between these, or is one too many
    while low < high:
        middle = (low + high) // 2
        low, high = (low, middle) if keeps(middle) else (middle + 1, high)
    return made[min(low, len(ladder) - 1)], low < len(ladder)


def mean_loss(meant: Pixels, got: Pixels, srgb: bool) -> float:
    """CIEDE2000 in the mean over texels (H, W, C) of 8 bits, as pictures of their codes: colours as sRGB,
    what is packed side by side and see-through as greys; the worst of these.
    """
    rows, columns = (-(-side // _MOST_COMPARED) for side in meant.shape[:2])
    first, second = (one[::rows, ::columns] for one in (meant, got))
    channels = first.shape[2]
    pictured = [slice(0, 3)] if srgb and channels >= 3 else []
    greys = [slice(c, c + 1) for c in range(3 if pictured else 0, channels)]
    return max(_apart(first[..., one], second[..., one]) for one in (*pictured, *greys))


def _apart(first: Pixels, second: Pixels) -> float:
    return float(delta_e_of_linear(_seen(first), _seen(second)).mean())


def _seen(codes: Pixels) -> npt.NDArray[np.float32]:
    light = srgb_to_linear(codes.astype(np.float32) / np.float32(255))
    return np.broadcast_to(light, (*light.shape[:2], 3))
