"""Base colour written on points, where that is all a destination has."""

from __future__ import annotations

from dataclasses import replace

from trasloco.fit.draft import Draft
from trasloco.fit.model import Step
from trasloco.fit.steps.afterwards import on_the_whole
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way


def _plan(draft: Draft, way: Way) -> Draft:
    if draft.name != "base_color" or not way.rules.colors_on_points:
        return draft
    given = draft.given
    said = "image and colour" if given.texture is not None else "colour"
    written = replace(
        draft,
        steps=(Step("points", f"{said} written on points"), *on_the_whole(draft.steps)),
        size=None,
        value=(1.0,) * 3,
    )
    return written.close("What lies between points is blended from them.")


KIND = Kind("points", plan=_plan, replaces=True)
