"""Steps on an input as a whole: they stay when it is flattened or drawn anew."""

from __future__ import annotations

from collections.abc import Iterable

from trasloco.fit.model import Step
from trasloco.fit.steps import cutting, fitting, occluding, see_through

_KINDS = frozenset(module.KIND.name for module in (cutting, fitting, occluding, see_through))


def on_the_whole(steps: Iterable[Step]) -> tuple[Step, ...]:
    return tuple(step for step in steps if step.kind in _KINDS)
