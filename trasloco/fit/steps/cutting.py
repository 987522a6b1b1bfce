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
    return replace(draft.lost(f"{way.destination.name} draws everything solid."), alpha="opaque")


KIND = Kind("cut", fate=_fate, whole_codes=True)
