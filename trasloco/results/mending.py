"""Mends on the route: the scene stage by stage, each under the name of what it reads.

A decision that changes leaves every stage before its own as it was, so that only what comes after runs again.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from trasloco.decisions.carrying_out import by_stage, carried_out, keep_used, taken_along
from trasloco.decisions.kind import Stage
from trasloco.decisions.kinds import KINDS, in_force, read_by
from trasloco.decisions.looks import with_looks
from trasloco.mends.settling import settle
from trasloco.results.name import Name, named
from trasloco.results.store import Store
from trasloco.scene.model import Decision, Scene
from trasloco.sheets.model import Sheet

_MADE = ("trasloco.decisions.carrying_out",)
Act = Callable[[Scene], Scene]


class Mending:
    """What becomes of a received scene under any decisions.

    Args:
        received_name, received: the scene as it was read, and what it is called. source: its sheet. store:
            where scenes are held, in memory alone. variants: whether they go where variants are taken.
    """

    def __init__(
        self,
        received_name: Name,
        received: Callable[[], Scene],
        source: Sheet,
        store: Store,
        variants: bool = False,
    ) -> None:
        self.received_name, self.received, self.source, self.store = received_name, received, source, store
        self.variants = variants

    def name(self, what: str, decisions: Sequence[Decision]) -> Name:
        """What the mended scene is called, as something that is read: a reference, or what is shown."""
        return named(what, _MADE, self._stages(decisions)[-1][0], self.variants)

    def scene(self, decisions: Sequence[Decision]) -> Scene:
        """The scene with decisions carried out, from the last stage that is at hand, without what nothing
        uses. Raises Refused where a decision cannot be carried out.
        """
        stages = self._stages(decisions)

        def after(at: int) -> Scene:
            if at < 0:
                return self.received()
            name, act = stages[at]
            made: Scene = self.store.get_or_make(name.key, lambda: act(after(at - 1)), keep=False)
            return made

        return keep_used(after(len(stages) - 1), self.variants)

    def _stages(self, decisions: Sequence[Decision]) -> list[tuple[Name, Act]]:
        """Names of the scene as it becomes, stage by stage, and how each is made of the one before."""
        believed = [d for d in in_force(read_by(decisions, "reference")) if not KINDS[d.field].does]
        kept = taken_along(decisions)
        name = named("settled", ("trasloco.mends.settling",), self.received_name, self.source, believed)
        found: list[tuple[Name, Act]] = [(name, lambda scene: settle(scene, self.source, decisions))]
        for stage, due in by_stage(with_looks(decisions)):
            spared = kept if any(KINDS[d.field].spares for d in due) else frozenset()
            name = named(stage.name, _MADE, name, due, spared)
            found.append((name, _carrying(stage, due, spared)))
        return found


def _carrying(stage: Stage, due: list[Decision], spared: frozenset[str]) -> Act:
    return lambda scene: carried_out(scene, stage, due, spared)
