"""Vertex colours: in the mesh where they multiply, else as an image: a palette where every face has one
colour and no image is beside it, charts otherwise.
"""

from __future__ import annotations

from dataclasses import replace

from trasloco.fit.atlas import SIDE
from trasloco.fit.draft import Draft
from trasloco.fit.model import Step
from trasloco.fit.palette import palette_of, palette_side
from trasloco.fit.steps.afterwards import on_the_whole
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way


def _plan(draft: Draft, way: Way) -> Draft:
    given = draft.given
    if draft.name != "base_color" or not given.vertex_color or not way.painted:
        return draft
    if not way.lays_anew:
        return draft.close("Colours on points would need UVs of their own; what lies under them travels.")
    if way.rules.vertex_color == "multiplies" and way.paint in ("", "keep") and not given.layers:
        return draft.then(Step("vertex_color", "vertex colour travels in the mesh", {"bake": False}))
    layered = any(one.layers for one in way.material.inputs.values())
    flat = given.texture is None and not layered and way.paint != "atlas"
    colors = palette_of(way.reference, way.material.id) if flat else None
    if colors is not None:
        said = f"{len(colors)} flat colour{'s' if len(colors) > 1 else ''} made a palette"
        palette = Step("vertex_color", said, {"bake": True, "how": "palette"})
        side = palette_side(len(colors))
        return replace(
            draft,
            value=(),
            mark="exact",
            reason="",
            steps=(palette, *on_the_whole(draft.steps)),
            size=(side, side),
        )
    drawn = Step("vertex_color", "vertex colour made an image", {"bake": True, "how": "atlas"})
    steps = (drawn, *on_the_whole(draft.steps))
    why = "A palette holds flat colours without an image only; paint" if way.paint == "palette" else "Paint"
    image = " and image" if given.texture is not None else ""
    return replace(draft, value=(), steps=steps, size=(SIDE, SIDE)).close(
        f"{why}{image} drawn into an image of its own."
    )


KIND = Kind("vertex_color", plan=_plan, replaces=True)
