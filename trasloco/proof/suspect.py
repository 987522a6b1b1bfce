"""A difference between reference and arrival that can be taken back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from trasloco.scene.model import Scene

Kind = Literal["input", "sides", "see-through", "light", "geometry"]


GONE = "ref:"


@dataclass(frozen=True)
class Suspect:
    """A difference between reference and arrival that can be taken back.

    Attributes:
        id: ``material id/input`` of the reference, or ``material id/sides``, or the node or mesh it is about.
            label, where: what it is and of what, for the screen.
        reason: what the plan says of it, or what the importer did. target: what a decision about it would
            name.
        undo: the arrival with this one thing as the reference has it.
    """

    id: str
    kind: Kind
    label: str
    where: str
    reason: str
    target: str
    undo: Callable[[Scene], Scene]


def all_of(several: list[Suspect]) -> Callable[[Scene], Scene]:
    def undo(scene: Scene) -> Scene:
        for one in several:
            scene = one.undo(scene)
        return scene

    return undo
