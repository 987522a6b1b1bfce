"""How a program may show light: exposure and an open tone curve, found from a picture of what is known."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.render.exposure import tone_curve, untoned
from trasloco.scene.color import delta_e, linear_to_lab

Floats = npt.NDArray[np.float32]


def _filmic(x: Floats) -> Floats:
    """Narkowicz 2015, "ACES Filmic Tone Mapping Curve", a fit by one fraction."""
    return np.asarray(x * (2.51 * x + 0.03) / (x * (2.43 * x + 0.59) + 0.14), np.float32)


CURVES: Mapping[str, Callable[[Floats], Floats]] = {
    "none": lambda x: x,
    "rolled off by luminance": tone_curve,
    "rolled off by channel": lambda x: np.asarray(x / (1 + x), np.float32),
    "filmic": _filmic,
}
"""Open tone curves (Reinhard et al. 2002 for those that roll off), exposed light to display light."""
_COARSE = np.arange(-6.0, 6.01, 1.0)
_SAMPLES = 1200
MOST_DELTA_E = 40.0
"""A pixel counts no more than this: what is quite otherwise is that, however much."""


@dataclass(frozen=True)
class Shown:
    """A curve by its name, and the exposure in stops that radiance is multiplied by before it."""

    curve: str
    stops: float


def displayed_by(radiance: Floats, shown: Shown) -> Floats:
    """Radiance (..., 3) as display light, linear in [0, 1]."""
    exposed = np.asarray(np.maximum(radiance, 0) * np.float32(2.0**shown.stops), np.float32)
    return np.clip(CURVES[shown.curve](exposed), 0, 1).astype(np.float32)


def undisplayed(display: Floats, curve: str) -> Floats:
    """Exposed light (..., 3) that a curve shows as display light, linear in [0, 1]; the inverse of
    :data:`CURVES`. What was clipped comes out as the least light that clips.
    """
    y = np.clip(np.asarray(display, np.float64), 0, 1)
    if curve == "none":
        made = y
    elif curve == "rolled off by channel":
        made = y / np.maximum(1 - y, 1e-4)
    elif curve == "filmic":
        # y (c x^2 + d x + e) = a x^2 + b x, solved for the x that is not negative.
        a, b, c = 2.51 - 2.43 * y, 0.03 - 0.59 * y, -0.14 * y
        made = (-b + np.sqrt(np.maximum(b * b - 4 * a * c, 0))) / (2 * a)
    elif curve == "rolled off by luminance":
        return untoned(np.asarray(display, np.float32))
    else:
        raise KeyError(curve)
    return np.asarray(made, np.float32)


def difference(first: Floats, second: Floats) -> Floats:
    """CIEDE2000 of display light (..., 3), at most :data:`MOST_DELTA_E`."""
    return np.minimum(
        delta_e(linear_to_lab(np.clip(first, 0, 1)), linear_to_lab(np.clip(second, 0, 1))), MOST_DELTA_E
    )


def best_shown(radiance: Floats, picture: Floats, curves: tuple[str, ...] = tuple(CURVES)) -> Shown:
    """The exposure and curve under which radiance (N, 3) is most like display light (N, 3).

    Tried on a thousand places by distance in Lab, coarsely by stops about the same mean, then to a hundredth.
    """
    if not len(radiance):
        return Shown(curves[0], 0.0)
    chosen = np.random.default_rng(1).permutation(len(radiance))[:_SAMPLES]
    light, seen = np.maximum(radiance[chosen], 0), picture[chosen]
    lab = linear_to_lab(np.clip(seen, 0, 1))
    start = float(np.log2(max(float(seen.mean()), 1e-6) / max(float(light.mean()), 1e-12)))

    def cost(curve: str, stops: float) -> float:
        made = linear_to_lab(displayed_by(light, Shown(curve, stops)))
        return float(np.minimum(np.linalg.norm(made - lab, axis=-1), MOST_DELTA_E).mean())

    best: tuple[float, Shown] | None = None
    for curve in curves:
        tried = [(cost(curve, start + step), start + float(step)) for step in _COARSE]
        error, stops = min(tried)
        width = 0.5
        while width > 0.01:
            error, stops = min(
                (error, stops), *((cost(curve, stops + d), stops + d) for d in (-width, width))
            )
            width /= 2
        if best is None or error < best[0]:
            best = (error, Shown(curve, stops))
    assert best is not None
    return best[1]
