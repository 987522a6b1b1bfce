"""All kinds of decision, and a decision as one of them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Annotated, Any, Union

from pydantic import Field, ValidationError

from trasloco.decisions.kind import Kind, Reader
from trasloco.decisions.themes import THEMES
from trasloco.decisions.values import plain
from trasloco.errors import Refused
from trasloco.scene.model import Decision


def _kinds() -> Iterator[type[Kind]]:
    for theme in THEMES:
        for one in vars(theme).values():
            if (
                isinstance(one, type)
                and issubclass(one, Kind)
                and one.__module__ == theme.__name__
                and one.is_whole()
            ):
                yield one


KINDS: Mapping[str, type[Kind]] = {kind.name(): kind for kind in _kinds()}
"""Field to its class."""
if TYPE_CHECKING:
    AnyDecision = Kind
else:
    AnyDecision = Annotated[Union[tuple(KINDS.values())], Field(discriminator="field")]  # noqa: UP007
"""A decision on the wire: one of all kinds, told apart by its field."""


def typed(decision: Decision) -> Kind:
    """A decision as the kind it is.

    Raises:
        Refused: a field that nobody knows, or a value of another kind than it takes.
    """
    kind = KINDS.get(decision.field)
    if kind is None:
        raise Refused(
            f"There is nothing called {decision.field} to decide.",
            decision.target,
            f"Choose one of: {', '.join(KINDS)}.",
        )
    try:
        return kind(field=decision.field, target=decision.target, value=plain(decision.value))
    except ValidationError as error:
        raise Refused(
            "The value is of the wrong kind.",
            f"{decision.target}, {decision.field}",
            f"Give {kind.asks_for()}.",
        ) from error


def understood(decisions: Sequence[Decision]) -> list[Decision]:
    """Those that can be read.

    What an earlier version stored and this one cannot read does nothing, and is told in the history.
    """
    found = []
    for decision in decisions:
        try:
            typed(decision)
        except Refused:
            continue
        found.append(decision)
    return found


def on_the_wire(decision: Decision) -> dict[str, Any]:
    """A decision as plain JSON values."""
    return {"target": decision.target, "field": decision.field, "value": plain(decision.value)}


def read_by(decisions: Sequence[Decision], *readers: Reader) -> list[Decision]:
    """Those that any of some results reads by itself, in their order."""
    return [d for d in decisions if d.field in KINDS and KINDS[d.field].read_by & set(readers)]


def in_force(decisions: Sequence[Decision]) -> list[Decision]:
    """What holds of all that was decided: the last value of each field of each target, in the order last
    decided; where values add up, all of them, later ones last.
    """
    held: dict[tuple[str, str], Decision] = {}
    for decision in decisions:
        key = (decision.target, decision.field)
        before = held.pop(key, None)
        adds = before is not None and decision.field in KINDS and KINDS[decision.field].adds
        held[key] = (
            replace(decision, value=[*before.value, *decision.value])
            if before is not None and adds
            else decision
        )
    return list(held.values())
