"""Deep images brought to 8 bits without steps."""

from __future__ import annotations

from trasloco.fit.draft import Draft
from trasloco.fit.model import Step
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way


def _plan(draft: Draft, way: Way) -> Draft:
    image = way.image(draft.given)
    if draft.size is None or image is None or draft.vectors or draft.name == "opacity" or not draft.deep:
        return draft
    if way.destination.images.depth != 8:
        return draft
    return draft.then(Step("depth", f"{image.depth} bits dithered to 8"))


KIND = Kind("depth", plan=_plan, dithers=True)
