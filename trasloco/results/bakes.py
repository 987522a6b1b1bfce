"""Bakes of a move: what took minutes is kept whatever becomes of the code, and what was gathered last is gone
on from.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from trasloco.results.name import Name, named
from trasloco.results.store import Store

if TYPE_CHECKING:
    from trasloco.light.lightmaps.baking import Gathered
    from trasloco.light.lightmaps.lightmaps import Baked, OnLight

MOST_BAKES = 3
"""Bakes hold all that was gathered, some tens of MiB each: so many of a move are kept, those that undo may
come back to.
"""


@dataclass(frozen=True)
class MadeBy:
    """Lightmaps, with the digest of the code that made them."""

    code: str
    made: Baked


class Bakes:
    """The bakes of one move, by the inputs of what they light.

    Args:
        store: where they are kept. place: what the move is called there.
    """

    def __init__(self, store: Store, place: str) -> None:
        self.store = store
        self.gathered_name = named("gathered", ("trasloco.light.lightmaps.baking",), place)
        self.list_name = named("bakes", (), place)

    def has(self, light: Name) -> bool:
        """Whether there are lightmaps of these inputs, by whatever version."""
        return self.store.has(light.inputs)

    def is_earlier(self, light: Name) -> bool:
        """Whether an earlier version made them."""
        held: MadeBy | None = self.store.get(light.inputs) if self.has(light) else None
        return held is not None and held.code != light.code

    def baked(
        self,
        light: Name,
        bake: Callable[[Mapping[str, Gathered], OnLight], Baked],
        on_pass: OnLight | None = None,
        anew: bool = False,
    ) -> Baked:
        """The lightmaps, from an earlier version too unless they are asked for ``anew``. ``bake`` makes them
        from what is known of their light, and is listened to.
        """
        known: dict[str, Gathered] = dict(self.store.get(self.gathered_name.key) or {})

        def heard(keys: Sequence[str], found: Sequence[Gathered]) -> None:
            known.clear()
            known.update(zip(keys, found, strict=True))
            if on_pass is not None:
                on_pass(keys, found)

        def make() -> MadeBy:
            try:
                found = bake({} if anew else dict(known), heard)
            finally:
                self.store.put(self.gathered_name.key, dict(known))
            self._forget_old(light)
            return MadeBy(light.code, found)

        if anew and self.is_earlier(light):
            self.store.drop(light.inputs)
        held: MadeBy = self.store.get_or_make(light.inputs, make)
        return held.made

    def _forget_old(self, light: Name) -> None:
        listed = self.list_name.key
        earlier = [key for key in self.store.get(listed) or () if key != light.inputs]
        for key in earlier[: -(MOST_BAKES - 1)]:
            self.store.drop(key)
        self.store.put(listed, [*earlier[-(MOST_BAKES - 1) :], light.inputs])
