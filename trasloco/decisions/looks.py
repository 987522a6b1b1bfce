"""Taking the look of another material: what that one has become by all that was decided about it, not what it
was received as.

A material that takes another's look takes the decisions about that look as well, in place of its own earlier
ones; what is decided about it afterwards holds.
"""

from __future__ import annotations

from collections.abc import Sequence

from trasloco.decisions.kinds import KINDS
from trasloco.scene.model import Decision


def with_looks(decisions: Sequence[Decision]) -> list[Decision]:
    """The decisions with those about a look repeated for every material that takes it.

    Materials that take each other's looks in a ring keep to what each was received as.
    """
    made: list[Decision] = []
    for decision in decisions:
        if decision.field != "use_material":
            made.append(decision)
            continue
        taker = decision.target
        made = [d for d in made if not _about(d, taker)]
        made.append(decision)
        made += [
            Decision(taker + d.target[len(str(decision.value)) :], d.field, d.value)
            for d in _look_of(str(decision.value), decisions, {taker})
        ]
    return made


def _look_of(material: str, decisions: Sequence[Decision], takers: set[str]) -> list[Decision]:
    """What was decided about a material's look, with what it took from others."""
    made: list[Decision] = []
    for decision in decisions:
        if not _about(decision, material):
            continue
        if decision.field == "use_material":
            if str(decision.value) in {*takers, material}:
                continue
            made = [
                Decision(material + d.target[len(str(decision.value)) :], d.field, d.value)
                for d in _look_of(str(decision.value), decisions, {*takers, material})
            ]
            made.insert(0, decision)
        else:
            made.append(decision)
    return made


def _about(decision: Decision, material: str) -> bool:
    return KINDS[decision.field].look and (
        decision.target == material or decision.target.startswith(material + "/")
    )
