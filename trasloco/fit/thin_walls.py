"""What OpenPBR says by a wall being thin or solid."""

from __future__ import annotations

from dataclasses import replace

from trasloco.fit.draft import Draft, is_default
from trasloco.fit.model import Step
from trasloco.fit.way import Way
from trasloco.inputs.table import UNDER_THE_SURFACE
from trasloco.scene.glass import WHOLE, absorbs, is_solid
from trasloco.sheets.layouts import speaks


def by_walls(draft: Draft, way: Way) -> Draft:
    """A network is thin-walled or solid, without a number, and has one place for light under the surface and
    light let through.
    """
    if not speaks(way.destination, "openpbr"):
        return draft
    inputs = way.material.inputs
    leaf, clear = "diffuse_transmission" in inputs, "transmission" in inputs
    thin = leaf or (clear and not is_solid(way.material))
    if draft.name == "thickness":
        draft = replace(
            draft,
            steps=(Step("value", "said as a solid", {"beside": True}),),
            size=None,
            value=(),
            given=replace(draft.given, texture=None, factor=(1.0,)),
        ).close("A solid is said without a number; its thickness is that of its shape.")
    tinted = draft.name == "base_color" and draft.mark != "lost" and not is_default(draft.name, draft.given)
    if tinted and clear and absorbs(way.material):
        reason = "OpenPBR does not tint glass that absorbs by its base colour."
        glass = inputs["transmission"]
        whole = glass.texture is None and glass.factor[0] >= WHOLE
        draft = draft.lost(reason) if whole else draft.close(reason)
    if (thin and draft.name in UNDER_THE_SURFACE) or (leaf and draft.name == "thickness"):
        draft = draft.lost(
            "OpenPBR has one place for light let through and light under the surface; the material is a thin"
            " sheet."
        )
    return draft
