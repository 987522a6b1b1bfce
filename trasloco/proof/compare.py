"""Two pictures of the same view: the difference as the eye sees it, its noise, and which material and part it lies on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.render.picture import Picture, exposed, tone_curve
from trasloco.scene.color import delta_e_of_linear

Floats = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Verdict:
    """Limits of mean ΔE for the verdict words; the artist can move them."""

    not_seen: float = 1.0
    hardly_seen: float = 2.3
    seen_when_compared: float = 5.0

    def words(self, mean: float) -> str:
        if mean < self.not_seen:
            return "not seen"
        if mean < self.hardly_seen:
            return "hardly seen"
        return "seen when compared" if mean < self.seen_when_compared else "seen at once"


@dataclass(frozen=True)
class Share:
    """Difference on one material or part: mean ΔE over its pixels, and the share of the picture it covers."""

    id: str
    mean: float
    cover: float


@dataclass(frozen=True)
class Comparison:
    """Measured difference of two pictures.

    Attributes:
        delta_e: (H, W) CIEDE2000 of the displayed pictures. mean, p95: over the pixels that show the scene on either side.
        noise: mean ΔE that sampling alone would cause. materials, parts: by the reference, largest first.
    """

    delta_e: Floats
    mean: float
    p95: float
    noise: float
    materials: tuple[Share, ...]
    parts: tuple[Share, ...]


def shown(radiance: Floats, ev100: float) -> Floats:
    """Radiance through exposure and the tone curve, linear in [0, 1]."""
    return tone_curve(exposed(radiance, ev100))


def compare(reference: Picture, arrival: Picture, ev100: float, material_ids: tuple[str, ...], part_ids: tuple[str, ...]) -> Comparison:
    """Compare under the same exposure and curve.

    Noise: with D = arrival - reference per half of the samples, (D_even - D_odd) / 2 has no signal and the same spread as the
    noise of the whole paired difference; the floor is the ΔE it causes on the reference.
    """
    before, after = shown(reference.radiance, ev100), shown(arrival.radiance, ev100)
    difference = delta_e_of_linear(before, after)
    on_scene = (reference.ids[..., 0] >= 0) | (arrival.ids[..., 0] >= 0)
    if not on_scene.any():
        on_scene = np.ones_like(on_scene)
    noise_only = ((arrival.even - reference.even) - (arrival.odd - reference.odd)) / 2
    floor = delta_e_of_linear(before, shown(np.maximum(reference.radiance + noise_only, 0), ev100)) if reference.samples > 1 else np.zeros_like(difference)
    values = difference[on_scene]
    return Comparison(
        difference, float(values.mean()), float(np.percentile(values, 95)), float(floor[on_scene].mean()),
        _shares(difference, reference.ids[..., 0], material_ids), _shares(difference, reference.ids[..., 1], part_ids),
    )


def _shares(difference: Floats, numbers: npt.NDArray[np.int32], ids: tuple[str, ...]) -> tuple[Share, ...]:
    seen = numbers >= 0
    count = np.bincount(numbers[seen], minlength=len(ids))
    total = np.bincount(numbers[seen], weights=difference[seen], minlength=len(ids))
    found = [Share(ids[k], float(total[k] / count[k]), float(count[k] / numbers.size)) for k in range(len(ids)) if count[k]]
    return tuple(sorted(found, key=lambda share: -share.mean))
