"""What came back otherwise than it was sent."""

from __future__ import annotations

from dataclasses import dataclass

from trasloco.scene.model import Decision


@dataclass(frozen=True)
class Came:
    """One difference. ``item`` is the thing's id at the source, empty for what is new; without ``decisions``,
    ``why`` says why there are none.
    """

    kind: str
    item: str
    name: str
    what: str
    before: str
    after: str
    decisions: tuple[Decision, ...] = ()
    why: str = ""
