"""Two pictures of the same view: the difference as the eye sees it, its noise, and which material and part it
lies on.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.proof.figure import NOTHING, Figure, Pixels, figure_of, pixels_of
from trasloco.render.exposure import exposed, tone_curve
from trasloco.render.picture import Picture
from trasloco.scene.color import delta_e_of_linear, linear_to_srgb, luminance

Floats = npt.NDArray[np.float32]


LEAST_COVER = 0.0005
"""Share of the frame from which on a material counts for the verdict."""


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


def beyond_noise(mean: float, noise: float, error: float) -> bool:
    """Whether a mean ΔE is more than noise: a quarter above what that makes by itself, and two standard
    errors.
    """
    return mean > 1.25 * noise + 2 * error


@dataclass(frozen=True)
class Share:
    """Difference on one material or part: mean ΔE over its pixels, what sampling alone makes of it there, and
    the share of the picture it covers.
    """

    id: str
    mean: float
    cover: float
    noise: float = 0.0
    error: float = 0.0
    figure: Figure = NOTHING

    @property
    def significant(self) -> bool:
        return beyond_noise(self.mean, self.noise, self.error)


@dataclass(frozen=True)
class Comparison:
    """Measured difference of two pictures.

    Attributes:
        delta_e: (H, W) CIEDE2000 of the displayed pictures. mean, p95: over the pixels that show the scene on
            either side.
        frame, subject: the whole picture, and what shows the scene without its surroundings, noise taken off.
        noise: mean ΔE that sampling alone would cause. error: standard error of the mean. materials, parts:
            by the reference, largest first.
        flip: (H, W) FLIP error in [0, 1] at 67 pixels a degree, and its mean; ssim: structural similarity of
            the displayed pictures. Empty and nan when quick.
    """

    delta_e: Floats
    mean: float
    p95: float
    noise: float
    materials: tuple[Share, ...]
    parts: tuple[Share, ...]
    error: float = 0.0
    flip: Floats = field(default_factory=lambda: np.zeros((0, 0), np.float32))
    flip_mean: float = float("nan")
    ssim: float = float("nan")
    frame: Figure = NOTHING
    subject: Figure = NOTHING

    @property
    def worst_material(self) -> Share | None:
        """The material that differs most among those that fill enough of the frame to be looked at."""
        enough = [share for share in self.materials if share.cover >= LEAST_COVER]
        return max(enough, key=lambda share: share.figure.value, default=None)

    @property
    def judged(self) -> float:
        """The ΔE that the verdict speaks of: the worse of the subject and its worst material."""
        worst = self.worst_material
        return max(self.subject.value, worst.figure.value if worst is not None else 0.0)

    @property
    def judged_low(self) -> float:
        """The least that what is judged can be, by its interval."""
        worst = self.worst_material
        return max(self.subject.low, worst.figure.low if worst is not None else 0.0)

    @property
    def significant(self) -> bool:
        return beyond_noise(self.mean, self.noise, self.error)


def shown(radiance: Floats, ev100: float) -> Floats:
    """Radiance through exposure and the tone curve, linear in [0, 1]."""
    return tone_curve(exposed(radiance, ev100))


def subject_of(reference: Picture, arrival: Picture) -> npt.NDArray[np.bool_]:
    """(H, W) pixels that show the scene on either side; all, where none does."""
    on_scene = (reference.ids[..., 0] >= 0) | (arrival.ids[..., 0] >= 0)
    return on_scene if on_scene.any() else np.ones_like(on_scene)


def by_pixel(
    reference: Picture, arrival: Picture, ev100: float, where: npt.NDArray[np.bool_] | None = None
) -> Pixels:
    """(H, W) CIEDE2000 of two pictures as they are displayed, of them and of their halves, and what their
    noise alone would make of it; 0 for pixels that are not asked for by ``where`` (H, W).

    Noise: with D = arrival - reference per half of the samples, (D_even - D_odd) / 2 has no signal and the
    same spread as the noise of the whole paired difference; the floor is the ΔE it causes on the reference.
    """
    # What is about a pixel has a say in it.
    near = np.ones(reference.ids.shape[:2], bool) if where is None else _and_around(where)

    def all_of(found: npt.NDArray[Any]) -> Floats:
        whole = np.zeros(near.shape, np.float32)
        whole[near] = found
        return whole

    meant, got = reference.radiance[near], arrival.radiance[near]
    (even, odd), (got_even, got_odd) = ((side.even[near], side.odd[near]) for side in (reference, arrival))
    before = shown(meant, ev100)
    difference = all_of(delta_e_of_linear(before, shown(got, ev100)))
    if reference.samples < 2:
        return pixels_of(difference, np.zeros_like(difference), difference)
    noise_only = ((got_even - even) - (got_odd - odd)) / 2
    floor = delta_e_of_linear(before, shown(np.maximum(meant + noise_only, 0), ev100))
    halves = [
        delta_e_of_linear(shown(a, ev100), shown(b, ev100)) for a, b in ((even, got_even), (odd, got_odd))
    ]
    return pixels_of(difference, all_of(floor), all_of((halves[0] + halves[1]) / 2))


def _and_around(where: npt.NDArray[np.bool_]) -> npt.NDArray[np.bool_]:
    """A mask (H, W) and the eight pixels around each of its own."""
    near = where.copy()
    near[1:] |= where[:-1]
    near[:-1] |= where[1:]
    across = near.copy()
    near[:, 1:] |= across[:, :-1]
    near[:, :-1] |= across[:, 1:]
    return near


def compare(
    reference: Picture,
    arrival: Picture,
    ev100: float,
    material_ids: tuple[str, ...],
    part_ids: tuple[str, ...],
    quick: bool = False,
) -> Comparison:
    """Compare under the same exposure and curve."""
    pixels = by_pixel(reference, arrival, ev100)
    on_scene = subject_of(reference, arrival)
    subject = pixels.at(on_scene)
    # Pixels are independent; each may be off by about what its noise makes.
    error = float(np.sqrt(np.mean(subject.floor**2) / max(len(subject.floor), 1)))
    flip, flip_mean, similar = (
        (np.zeros((0, 0), np.float32), float("nan"), float("nan"))
        if quick
        else _as_seen(shown(reference.radiance, ev100), shown(arrival.radiance, ev100))
    )
    return Comparison(
        pixels.found.astype(np.float32),
        float(subject.found.mean()),
        float(np.percentile(subject.found, 95)),
        float(subject.floor.mean()),
        _shares(pixels, reference.ids[..., 0], material_ids),
        _shares(pixels, reference.ids[..., 1], part_ids),
        error,
        flip,
        flip_mean,
        similar,
        figure_of(pixels),
        figure_of(subject, float(on_scene.mean())),
    )


def _as_seen(before: Floats, after: Floats) -> tuple[Floats, float, float]:
    """FLIP by pixel and its mean, and structural similarity."""
    return *flip_error(before, after), structural_similarity_of(before, after)


def flip_error(before: Floats, after: Floats) -> tuple[Floats, float]:
    """FLIP (Andersson et al. 2020, "FLIP: A Difference Evaluator for Alternating Images") of displayed linear
    pictures: what is noticed when they are flicked.
    """
    import flip_evaluator

    codes = [np.ascontiguousarray(np.clip(linear_to_srgb(one), 0, 1), np.float32) for one in (before, after)]
    errors, mean, _ = flip_evaluator.evaluate(codes[0], codes[1], "LDR", applyMagma=False)
    return np.asarray(errors, np.float32).reshape(before.shape[:2]), float(mean)


def structural_similarity_of(before: Floats, after: Floats) -> float:
    """SSIM (Wang et al. 2004) of the displayed luminance codes; 1 where nothing can be measured."""
    from skimage.metrics import structural_similarity

    codes = [np.asarray(linear_to_srgb(luminance(one)), np.float64) for one in (before, after)]
    return (
        float(structural_similarity(codes[0], codes[1], data_range=1.0)) if min(codes[0].shape) >= 7 else 1.0
    )


def _shares(pixels: Pixels, numbers: npt.NDArray[np.int32], ids: tuple[str, ...]) -> tuple[Share, ...]:
    order = np.argsort(numbers, axis=None, kind="stable")
    starts = np.searchsorted(numbers.ravel()[order], np.arange(len(ids) + 1))
    found = []
    for k, id in enumerate(ids):
        own = order[starts[k] : starts[k + 1]]
        if len(own):
            there = pixels.at(np.unravel_index(own, numbers.shape))
            cover = len(own) / numbers.size
            error = float(np.sqrt((there.floor**2).sum())) / len(own)
            figure = figure_of(there, cover)
            found.append(Share(id, figure.raw, cover, figure.noise, error, figure))
    return tuple(sorted(found, key=lambda share: -share.mean))
