"""The kinds of step: what becomes of an input, when a step is needed, and what it does to texels.

A new kind is a module here and a place in :data:`DONE` and :data:`PLANNED`.
"""

from __future__ import annotations

from collections.abc import Iterable

from trasloco.fit.draft import Draft
from trasloco.fit.model import Step
from trasloco.fit.steps import (
    copying,
    covering,
    cutting,
    extracting,
    fewer_bits,
    fitting,
    flattening,
    green,
    inverting,
    lifting,
    metal,
    multiplying,
    occluding,
    on_points,
    packing,
    padding,
    painting,
    relief,
    resizing,
    see_through,
    shading,
    spaces,
    strengthening,
    together,
    values,
    widening,
)
from trasloco.fit.steps.step import Kind
from trasloco.inputs.table import INPUTS

DONE: list[Kind] = [
    module.KIND
    for module in (
        copying,
        painting,
        flattening,
        extracting,
        spaces,
        inverting,
        lifting,
        see_through,
        relief,
        green,
        strengthening,
        metal,
        multiplying,
        shading,
        values,
        fitting,
        occluding,
        resizing,
        widening,
        covering,
        padding,
        cutting,
        fewer_bits,
        packing,
        on_points,
        together,
    )
]
"""In the order in which steps are done and read."""

PLANNED: list[Kind] = [
    module.KIND
    for module in (
        extracting,
        spaces,
        inverting,
        lifting,
        relief,
        green,
        strengthening,
        shading,
        fitting,
        values,
        multiplying,
        resizing,
        covering,
        widening,
        padding,
        fewer_bits,
        occluding,
        painting,
        flattening,
        on_points,
    )
]
"""In the order in which they are planned: what is drawn anew is planned last, since it takes the place of
others.
"""

FATES: list[Kind] = [module.KIND for module in (relief, metal, see_through, cutting, occluding, values)]
"""In the order in which they are asked what becomes of an input."""


def kind_of(step: Step) -> Kind:
    """What kind a step is of; KeyError for a kind that is none."""
    return {kind.name: kind for kind in DONE}[step.kind]


def in_order(steps: Iterable[Step]) -> tuple[Step, ...]:
    place = {kind.name: k for k, kind in enumerate(DONE)}
    return tuple(sorted(steps, key=lambda step: place[step.kind]))


def is_pictured(step: Step) -> bool:
    """Whether a step changes texels one by one, so that there is something to see before and after."""
    return kind_of(step).apply is not None and not step.settings.get("bake")


def falls_between_codes(draft: Draft, encoding: str) -> bool:
    """Whether a draft's image may say more than eight bits of ``encoding`` hold: the given one does, or
    texels are computed.
    """
    texture = draft.given.texture
    recoded = texture is not None and INPUTS[draft.target].color and texture.encoding != encoding
    return (
        draft.deep
        or recoded
        or any(
            not kind_of(step).whole_codes or step.settings.get("curve", "linear") != "linear"
            for step in draft.steps
        )
    )
