"""Opacity cut at a level, and what becomes of see-through where a destination cannot draw it."""

from __future__ import annotations

from dataclasses import replace

from trasloco.fit.draft import Draft
from trasloco.fit.model import Step
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way


def _fate(draft: Draft, way: Way) -> Draft | None:
    if draft.name != "opacity":
        return None
    wanted, cutoff = way.material.alpha_mode, way.material.alpha_cutoff
    if wanted in way.rules.alpha:
        made = replace(draft, alpha=wanted)
        if wanted == "mask" and way.rules.cut_at == "half" and cutoff != 0.5:
            return _cut_at_half(made, cutoff)
        return (
            made.then(Step("cut", f"cut at {cutoff:.2f}", {"cutoff": cutoff})) if wanted == "mask" else made
        )
    if wanted == "blend" and "mask" in way.rules.alpha:
        made = replace(draft, alpha="mask").then(Step("cut", "blend becomes a cut at 0.50", {"cutoff": 0.5}))
        if draft.given.texture is not None:
            made = made.then(Step("coverage", "as much stays as was solid", {"cutoff": 0.5, "of": "mean"}))
        return made.close(
            f"{way.destination.name} cannot blend; soft edges become hard, and as much area stays as it hid"
            " before."
        )
    if wanted == "mask" and "blend" in way.rules.alpha:
        return replace(draft, alpha="blend").close(
            f"{way.destination.name} does not cut; its edge is as soft as its image."
        )
    return replace(draft.lost(f"{way.destination.name} draws everything solid."), alpha="opaque")


def _cut_at_half(draft: Draft, cutoff: float) -> Draft:
    """What is cut at another level, written so that one half cuts it alike: an image by the share that stays,
    a number by whether it stays.
    """
    given = draft.given
    if given.texture is None:
        stays = given.factor[0] >= cutoff
        given = replace(given, factor=(1.0 if stays else 0.0,))
        draft = replace(draft, alpha="opaque" if stays else "mask")
    made = replace(draft, given=given).then(Step("cut", "cut at 0.50", {"cutoff": 0.5}))
    if given.texture is not None:
        made = made.then(
            Step("coverage", "as much stays as its own cut kept", {"cutoff": 0.5, "own": cutoff, "of": "cut"})
        )
    return made.close(f"It was cut at {cutoff:.2f}; written so that one half keeps as much.")


KIND = Kind("cut", fate=_fate, whole_codes=True)
