"""What went wrong over there: one picture of an import, held against the arrival bent in every way that a
program may read a package otherwise.

Each way is rendered with the same random numbers from the same place, shown at the exposure and by the open
curve under which it is most like the picture, and measured on the same pixels. What a way explains is the
part of the difference that goes with it, noise taken off. Where one does not explain it, every other is tried
beside the best.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from trasloco.errors import Refused
from trasloco.outside.bends import BENDS, BY_KEY, Bend
from trasloco.outside.registering import Alignment, Floats, aligned, laid_over, resized
from trasloco.outside.showing import Shown, best_shown, displayed_by
from trasloco.outside.trials import Trials, Ways, tips, with_small_images
from trasloco.progress import Progress, silent
from trasloco.render.picture import Quality, View
from trasloco.scene.color import luminance
from trasloco.scene.model import Scene

QUALITY = Quality(320, 180, 10, 3)
FIRST_WIDTH, KEPT, FIRSTS, PAIRED = 160, 8, 2, 6
"""How wide every way is looked at first, how many of the best are looked at again at full width, to how
many of those every other is added, and how many pairs are looked at again.
"""
SURE, APART, LEFT = 0.5, 0.12, 0.8
"""What the first must explain for it to be believed, how far it must lie before the next, and what a pair may
leave at most of what the best single one leaves.
"""
LEAST, NEARER, TOLD = 0.03, 0.35, 12
"""What is worth telling; where the whole differs little, only what is so much nearer where it differs."""
DARK = ("lamps off", "no surroundings")
"""What is wrong where only what glows is seen: neither of the two alone comes near that."""
_BLACK = 0.004
"""Mean luminance of display light below which nothing lights what is seen."""


@dataclass(frozen=True)
class Explanation:
    """One way, or two at once: the share of the difference that goes with it, 0 to 1, how much nearer the
    picture is where it makes a difference at all, what remains in mean ΔE, and how it looks, display light
    (H, W, 3).
    """

    bends: tuple[Bend, ...]
    share: float
    nearer: float
    delta_e: float
    picture: Floats


@dataclass(frozen=True)
class Diagnosis:
    """Explanations, the best first.

    ``seen`` is the picture as it lies over the rendered ones and ``meant`` the arrival unbent, display light
    (H, W, 3); ``delta_e`` is the mean between them, of which ``noise`` is none; ``shown`` how the program
    seems to show light.
    """

    alignment: Alignment
    seen: Floats
    meant: Floats
    shown: Shown
    delta_e: float
    noise: float
    explanations: tuple[Explanation, ...]
    tried: int
    seconds: float

    @property
    def fine(self) -> bool:
        """Whether nothing went wrong that this picture shows."""
        return differs_little(self.delta_e, self.noise) and not self.explanations

    @property
    def sure(self) -> bool:
        """Whether the first explanation is to be believed."""
        if not self.alignment.found or not self.explanations:
            return False
        first = self.explanations[0]
        rest = [one.share for one in self.explanations[1:] if not set(first.bends) & set(one.bends)]
        apart = first.share - max(rest, default=0.0)
        return max(first.share, first.nearer) >= SURE and apart >= APART


def differs_little(delta_e: float, noise: float) -> bool:
    return delta_e < 1.5 * noise + 0.8


def _beyond(left: float, noise: float) -> float:
    return max(left - noise, 0.0)


def share_of(whole: float, with_it: float, noise: float) -> float:
    """The part of a difference that goes, from -1 to 1, noise taken off."""
    return float(np.clip((whole - with_it) / max(whole - noise, 1e-6), -1, 1))


def diagnose(
    arrival: Scene,
    picture: Floats,
    view: View,
    quality: Quality = QUALITY,
    progress: Progress = silent,
    bends: Sequence[Bend] = BENDS,
) -> Diagnosis:
    """Explain a picture (H, W, 3), display light in [0, 1], of an import seen from about a view.

    ``quality`` is what is rendered; its height follows the picture's shape. ``progress`` may raise to cancel.

    Raises:
        Refused: the picture is too small, or the view shows nothing.
    """
    began = time.perf_counter()
    quality = _shaped(quality, picture)
    small = with_small_images(arrival)
    seen = resized(picture, quality.width, quality.height)
    fine = Trials(small, view, quality)
    if not fine.looks[()].on_scene.any():
        what = "Nothing of the scene is seen from there."
        raise Refused(what, view.name, "Choose the view that the picture was taken from.")
    alignment = _lying(seen, fine, bends)
    over, inside = laid_over(seen, alignment if alignment.found else Alignment())
    steps = len(bends) * (1 + FIRSTS) + KEPT + PAIRED + 3
    progress(2 / steps, "found the picture")

    coarse = Trials(small, view, _shaped(replace(quality, width=FIRST_WIDTH), picture))
    for at, bend in enumerate(bends):
        coarse.add((bend,))
        progress((3 + at) / steps, bend.words)
    for at, ways in enumerate(coarse.measure(over, inside)[:KEPT]):
        fine.add(ways)
        progress((3 + len(bends) + at) / steps, f"{ways[0].words}, looked at again")
    ranked = fine.measure(over, inside)
    d0, noise = fine.rows[()].delta_e, fine.noise()
    if ranked and not differs_little(*fine.left(ranked[0])):
        done = 3 + len(bends) + KEPT
        for first in ranked[:FIRSTS]:
            for bend in bends:
                if bend not in first:
                    coarse.add((*first, bend))
                done += 1
                progress(done / steps, f"{bend.words}, beside another")
        coarse.add(_dark(bends))
        pairs = [ways for ways in coarse.measure(over, inside) if len(ways) == 2]
        for ways in pairs[:PAIRED]:
            fine.add(ways)
            progress(0.97, "two at once, looked at again")
        ranked = fine.measure(over, inside)
    told = _told(fine, ranked, d0, noise)
    if float(luminance(fine.over[fine.domain]).mean()) < _BLACK:
        told = _unlit(fine)
    return Diagnosis(
        alignment,
        fine.over,
        fine.picture(()),
        fine.rows[()].shown,
        d0,
        noise,
        tuple(told[:TOLD]),
        len(coarse.looks) - 1,
        time.perf_counter() - began,
    )


def _lying(seen: Floats, trials: Trials, bends: Sequence[Bend]) -> Alignment:
    """How a picture lies over the arrival, or over one that lies on its back or its face, or is lit by what
    glows alone, where it is found better there.
    """
    others: list[Ways] = [(bend,) for bend in bends if tips(bend)] + [_dark(bends)]
    for ways in others:
        trials.add(ways)
    made = []
    for ways in ((), *others):
        if ways not in trials.looks:
            continue
        light, on = trials.looks[ways].radiance, trials.looks[ways].on_scene
        if light[on].any():
            made.append(aligned(seen, displayed_by(light, best_shown(light[on], seen[on]))))
    return max(made, key=lambda one: one.score, default=Alignment())


def _dark(bends: Sequence[Bend]) -> Ways:
    return tuple(bend for bend in bends if bend.key in DARK)


def _shaped(quality: Quality, picture: Floats) -> Quality:
    """The same width at the picture's shape. Raises Refused for one that is too small."""
    high, wide = picture.shape[:2]
    if min(high, wide) < 32:
        raise Refused(
            "The picture is too small to be read.", f"{wide} x {high}", "Give one of 320 pixels or more."
        )
    return replace(quality, height=min(max(round(quality.width * high / wide), 16), 2 * quality.width))


def _told(trials: Trials, ranked: Sequence[tuple[Bend, ...]], d0: float, noise: float) -> list[Explanation]:
    """What is worth telling: single ways that explain something, and pairs that explain clearly more than the
    best of them.
    """
    shares = {ways: share_of(d0, trials.rows[ways].delta_e, noise) for ways in ranked}
    left = {ways: _beyond(*trials.left(ways)) for ways in ranked}
    single = next((left[ways] for ways in ranked if len(ways) == 1), d0)
    nearer = {ways: trials.nearer(ways) for ways in ranked}
    little = differs_little(d0, noise)
    return [
        Explanation(ways, shares[ways], nearer[ways], trials.rows[ways].delta_e, trials.picture(ways))
        for ways in ranked
        if shares[ways] >= LEAST
        and (nearer[ways] >= NEARER or not little)
        and (len(ways) == 1 or left[ways] < LEFT * single)
    ]


def _unlit(trials: Trials) -> list[Explanation]:
    """Of a black picture: what lit the scene is not there, and nothing else can be said."""
    dark = np.zeros_like(trials.over)
    there = [BY_KEY[key] for key in DARK if BY_KEY[key].bend(trials.arrival) is not None]
    return [Explanation(tuple(there), 1.0, 1.0, 0.0, dark)] if there else []
