"""Results of late, held in memory up to a number of bytes; what several of them share counts once."""

from __future__ import annotations

import dataclasses
import threading
from collections import OrderedDict
from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from trasloco.scene.model import Scene

_SMALL = 4096
"""Arrays and byte strings below this are not looked for one by one."""
_ITEM = 200
"""Bytes that a small thing is taken to weigh."""


class Memory:
    """Objects by key, least recently asked for going first. Safe to be used by several threads."""

    def __init__(self, most_bytes: int) -> None:
        self.most_bytes = most_bytes
        self.bytes = 0
        self._held: OrderedDict[str, tuple[Any, dict[int, int]]] = OrderedDict()
        self._shared: dict[int, int] = {}
        self._guard = threading.RLock()

    def __contains__(self, key: str) -> bool:
        with self._guard:
            return key in self._held

    def __len__(self) -> int:
        return len(self._held)

    def get(self, key: str) -> Any:
        """The object under a key, moved to the front. Raises KeyError."""
        with self._guard:
            self._held.move_to_end(key)
            return self._held[key][0]

    def put(self, key: str, made: Any) -> None:
        """Hold an object; the oldest leave until all fit.

        One that is larger than everything allowed is held alone.
        """
        weights: dict[int, int] = {}
        for owner, size in _holdings(made):
            weights[owner] = max(weights.get(owner, 0), size)
        with self._guard:
            self.drop(key)
            for owner, size in weights.items():
                if not self._shared.get(owner):
                    self.bytes += size
                self._shared[owner] = self._shared.get(owner, 0) + 1
            self._held[key] = (made, weights)
            while self.bytes > self.most_bytes and len(self._held) > 1:
                self.drop(next(iter(self._held)))

    def drop(self, key: str) -> None:
        """Let go of an object, and of the weight that nothing else shares."""
        with self._guard:
            _, weights = self._held.pop(key, (None, {}))
            for owner, size in weights.items():
                self._shared[owner] -= 1
                if not self._shared[owner]:
                    del self._shared[owner]
                    self.bytes -= size

    def clear(self) -> None:
        """Let go of everything."""
        with self._guard:
            for key in list(self._held):
                self.drop(key)


def _holdings(thing: Any) -> Iterator[tuple[int, int]]:
    """(identity, bytes) of everything large in an object, and of the object itself for all that is small."""
    small = [0]
    yield from _large(thing, small)
    yield id(thing), small[0] * _ITEM


def _large(thing: Any, small: list[int]) -> Iterator[tuple[int, int]]:
    small[0] += 1
    if isinstance(thing, np.ndarray):
        owner = thing
        while isinstance(owner.base, np.ndarray):
            owner = owner.base
        if owner.nbytes >= _SMALL:
            yield id(owner), owner.nbytes
    elif isinstance(thing, bytes | bytearray):
        if len(thing) >= _SMALL:
            yield id(thing), len(thing)
    elif isinstance(thing, Scene):
        # Nodes and the like are many and small: they are counted, not walked.
        small[0] += 4 * (len(thing.nodes) + len(thing.materials) + len(thing.lights))
        for group in (thing.meshes, thing.images, thing.clips, thing.skins, thing.clouds):
            for one in group.values():
                yield from _large(one, small)
    elif isinstance(thing, Mapping):
        for one in thing.values():
            yield from _large(one, small)
    elif isinstance(thing, list | tuple | set | frozenset):
        for one in thing:
            yield from _large(one, small)
    elif dataclasses.is_dataclass(thing) and not isinstance(thing, type):
        for field in dataclasses.fields(thing):
            yield from _large(getattr(thing, field.name), small)
