"""A cut-out that keeps its area."""

from __future__ import annotations

from trasloco.fit.draft import Draft
from trasloco.fit.formulas.shrinking import coverage, keeping_coverage
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane, fitted
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.scene.images import unit_floats
from trasloco.scene.resolve import input_values


def _plan(draft: Draft, way: Way) -> Draft:
    """A smaller image of a cut-out: what its own cut keeps, stays. A blend that becomes a cut has its step
    already."""
    cut_out = draft.name == "opacity" and way.material.alpha_mode == "mask"
    if not cut_out or not draft.has("resize") or draft.has("coverage"):
        return draft
    return draft.then(
        Step("coverage", "the cut keeps its area", {"cutoff": way.material.alpha_cutoff, "of": "cut"})
    )


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    """The share is that of the reference: of what its own cut keeps, or of its mean where nothing was cut."""
    given = order.crossing.given
    assert given.texture is not None
    whole = input_values("opacity", given, order.reference.images[given.texture.image])[..., 0]
    cutoff = step.settings["cutoff"]
    own = step.settings.get("own", cutoff)
    share = coverage(whole, own) if step.settings["of"] == "cut" else float(whole.mean())
    plane = fitted(plane, order)
    return Plane(keeping_coverage(unit_floats(plane.texels), cutoff, share), "linear")


KIND = Kind("coverage", plan=_plan, apply=_apply, replaces=True)
