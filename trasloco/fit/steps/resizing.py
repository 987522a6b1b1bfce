"""An image brought to a size that the destination takes, or that was asked for."""

from __future__ import annotations

from trasloco.fit.draft import Draft
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane, fitted
from trasloco.fit.steps.step import Kind
from trasloco.fit.way import Way
from trasloco.inventory.checks.images import delivered_size


def resized(source: tuple[int, int], target: tuple[int, int]) -> Step:
    return Step(
        "resize",
        f"{source[0]} × {source[1]} to {target[0]} × {target[1]}",
        {"from": list(source), "to": list(target)},
    )


def refused_size(way: Way) -> str:
    return f"{way.destination.name} refuses the size; resampled in linear light."


def _plan(draft: Draft, way: Way) -> Draft:
    image = way.image(draft.given)
    if draft.size is None or image is None or draft.size == (image.width, image.height):
        return draft
    size, rules = (image.width, image.height), way.destination.images
    taken = delivered_size(*size, rules.largest, rules.power_of_two) == size
    return draft.then(resized(size, draft.size)).close_unless_told(
        "Made smaller, as asked; resampled in linear light." if taken else refused_size(way)
    )


def _apply(plane: Plane, step: Step, order: Order) -> Plane:
    return fitted(plane, order)


KIND = Kind("resize", plan=_plan, apply=_apply, replaces=True, stays=True)
