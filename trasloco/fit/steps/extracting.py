"""One channel taken out of an image."""

from __future__ import annotations

from trasloco.fit.draft import Draft
from trasloco.fit.model import Step
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way


def _plan(draft: Draft, way: Way) -> Draft:
    texture, image = draft.given.texture, way.image(draft.given)
    if texture is None or image is None or texture.channels == "rgb" or image.channels == 1:
        return draft
    return draft.then(
        Step("extract", f"{texture.channels.upper()} taken out", {"channels": texture.channels})
    )


KIND = Kind("extract", plan=_plan, whole_codes=True)
