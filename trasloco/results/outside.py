"""Pictures from the program at the destination, explained: what was asked, what was found, and how it looks."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.outside.diagnosis import Diagnosis, Explanation, diagnose
from trasloco.outside.registering import Floats
from trasloco.progress import Progress, part_of
from trasloco.proof.proving import in_same_surroundings
from trasloco.proof.staging import staged, views_for
from trasloco.results.route import Route
from trasloco.scene.color import linear_to_srgb, srgb_to_linear
from trasloco.scene.images import encode, identify, pixels, unit_floats
from trasloco.scene.resolve import color_of

MOST_BYTES = 64 * 2**20
"""A picture is no larger."""
_WHITE_AT = 99.0
"""Percentile of a picture of light that is shown as white."""


@dataclass(frozen=True)
class Found:
    """What a picture says, as it is kept: figures, and PNG by name: ``seen``, ``meant``, and each
    explanation's number.
    """

    told: dict[str, Any]
    pictures: Mapping[str, bytes]


def light_in(data: bytes, name: str) -> tuple[Floats, bool]:
    """Values (H, W, 3) of a picture file, and what they are: display light in [0, 1], or light without a
    curve (True).

    Raises:
        Refused: it is no picture that can be read.
    """
    image = identify("image:seen", name, name, data)
    if not image.usable:
        raise Refused(
            image.problem or "It is no picture that can be read.", name, "Give a PNG, JPEG, TIFF or EXR."
        )
    values = unit_floats(color_of(pixels(image)))
    if not image.floating:
        return np.asarray(srgb_to_linear(values), np.float32), False
    return np.asarray(np.nan_to_num(np.maximum(values, 0), posinf=0.0), np.float32), True


def picture_in(data: bytes, name: str) -> Floats:
    """Display light (H, W, 3) in [0, 1] of a picture file; light without a curve is exposed for its
    brightest.

    Raises:
        Refused: it is no picture that can be read.
    """
    values, is_light = light_in(data, name)
    return brought_in_range(values) if is_light else values


def brought_in_range(light: Floats) -> Floats:
    """Light (H, W, 3) exposed for its brightest, in [0, 1]."""
    white = max(float(np.percentile(light, _WHITE_AT)), 1e-9)
    return np.asarray(np.clip(light / white, 0, 1), np.float32)


def explained(route: Route, data: bytes, name: str, view: str, report: Progress) -> Found:
    """Why a picture of the import looks otherwise than the arrival, seen from a view of the move.

    Raises:
        Refused: it is no picture, or the view is gone.
    """
    picture = picture_in(data, name)
    reference = route.reference()
    seen = next((one for one in views_for(reference, route.decisions) if one.name == view), None)
    if seen is None:
        raise Refused(
            "There is no such view.", view, "Choose a camera of the move, or keep a view for proofs."
        )
    arrival = in_same_surroundings(reference, route.arrival(part_of(report, 0, 0.2)))
    found = diagnose(staged(arrival, seen, reference), picture, seen, progress=part_of(report, 0.2, 1))
    pictures = {"seen": light_png(found.seen), "meant": light_png(found.meant)}
    pictures |= {str(k): light_png(one.picture) for k, one in enumerate(found.explanations)}
    return Found(_told(found, view, name), pictures)


def _told(found: Diagnosis, view: str, name: str) -> dict[str, Any]:
    return {
        "view": view,
        "name": name,
        "found": found.alignment.found,
        "score": found.alignment.score,
        "scale": found.alignment.scale,
        "curve": found.shown.curve,
        "delta_e": found.delta_e,
        "noise": found.noise,
        "fine": found.fine,
        "sure": found.sure,
        "tried": found.tried,
        "seconds": found.seconds,
        "explanations": [_explanation(one) for one in found.explanations],
    }


def _explanation(one: Explanation) -> dict[str, Any]:
    return {
        "ways": [{"key": b.key, "words": b.words, "cure": b.cure, "line": b.line} for b in one.bends],
        "share": one.share,
        "delta_e": one.delta_e,
    }


def light_png(light: Floats) -> bytes:
    """Display light (H, W, 3) as PNG."""
    return encode(np.ascontiguousarray(np.round(linear_to_srgb(light) * 255).astype(np.uint8)), "png")
