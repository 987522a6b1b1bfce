"""An input as it was fitted, where the destination lacks others that make the look with it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.fit.draft import Draft
from trasloco.fit.formulas.changing import changed
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.inputs.table import INPUTS
from trasloco.scene.images import unit_floats
from trasloco.scene.model import Input

REASON = "Fitted for the look of the whole."


def _plan(draft: Draft, way: Way) -> Draft:
    change = way.fit.changes.get(draft.target) if way.fit is not None else None
    if change is None:
        return draft
    given = draft.given
    if draft.size is not None or _drawn_later(draft, way):
        gain, offset = (_one_or_more(v) for v in (change.gain, change.offset))
        return draft.then(
            Step(
                "fit",
                f"fitted: × {gain} + {offset}".replace("+ -", "− "),
                {"gain": list(change.gain), "offset": list(change.offset)},
            )
        )
    held: dict[str, object] = {}
    if given.vertex_color and way.painted:
        factor = tuple(f * g for f, g in zip(given.factor, change.gain, strict=True))
        said = f"fitted: × {_one_or_more(change.gain)}"
        held = {"gain": list(change.gain), "offset": [0.0] * len(factor)}
    else:
        factor, said = change.offset, f"fitted: {_one_or_more(given.factor)} to {_one_or_more(change.offset)}"
        held = {"value": list(change.offset)}
    return replace(draft.then(Step("fit", said, held)), given=replace(given, factor=factor))


def _drawn_later(draft: Draft, way: Way) -> bool:
    """Whether something will be drawn or written from it, point by point: layers, colours on points where the
    destination does not multiply them itself.
    """
    if draft.given.layers or way.rules.colors_on_points:
        return True
    kept = way.rules.vertex_color == "multiplies" and way.paint in ("", "keep")
    return draft.given.vertex_color and way.painted and not kept


def _one_or_more(values: tuple[float, ...]) -> str:
    """Two digits behind the point; one number where channels hardly differ."""
    alike = max(values) - min(values) < 0.02
    return " ".join(f"{v:.2f}".rstrip("0").rstrip(".") for v in (values[:1] if alike else values))


def met_by_others(draft: Draft, way: Way) -> Draft:
    """What does not arrive, and what a fit of the others stands in for."""
    fit = way.fit
    if fit is None or draft.travels or draft.mark == "blocked":
        return draft
    if draft.mark == "lost" and draft.name in fit.covers:
        said = Step("fit", f"met by {fit.words}", {"covers": True})
        return replace(draft.then(said), mark="close", reason=f"{draft.reason} {REASON}")
    if draft.mark == "exact" and fit.changes.keys() & {"specular", "ior"}:
        return replace(draft, mark="close", reason=REASON)  # was said together with one that is fitted
    return draft


def brought_by_fit(drafts: list[Draft], way: Way) -> list[Draft]:
    """Inputs that nothing of the material lands on, and that a fit sets."""
    if way.fit is None:
        return []
    landed = {draft.target for draft in drafts if draft.travels} | {draft.name for draft in drafts}
    return [
        Draft(
            name,
            INPUTS[name].label,
            Input(change.offset),
            name,
            (Step("fit", f"fitted: set to {_one_or_more(change.offset)}"),),
            "close",
            REASON,
        )
        for name, change in way.fit.changes.items()
        if name not in landed and way.knows(name)
    ]


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    own = not any(s.kind in ("flatten", "metal", "see_through") for s in order.crossing.steps)
    factor = np.asarray(order.crossing.given.factor if own else (1.0,), np.float32)
    texels = plane.texels if plane.texels.ndim == 2 else None
    values = unit_floats(texels) if texels is not None else plane.linear()
    factor = factor[0] if len(factor) == 1 else factor
    return Plane(changed(values * factor, step.settings["gain"], step.settings["offset"]), "linear")


KIND = Kind("fit", plan=_plan, apply=_apply, replaces=True)
