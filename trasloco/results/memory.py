"""Results of late, held in memory up to a number of bytes; what several of them share counts once, what lies on
the disk as much as an open file.
"""

from __future__ import annotations

import dataclasses
import threading
from collections import OrderedDict
from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from trasloco.at_rest import map_of
from trasloco.scene.model import Scene

_SMALL = 4096
"""Arrays and byte strings below this are not looked for one by one."""
_MAP = 2**23
"""Bytes that what lies on the disk is taken to weigh, however large: a process can have so many files open."""
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
    """Walked without recursion: a plan has tens of thousands of small things."""
    waiting = [thing]
    while waiting:
        one = waiting.pop()
        small[0] += 1
        kind = type(one)
        if kind in _PLAIN:
            continue
        if kind is np.ndarray:
            owner = one
            while isinstance(owner.base, np.ndarray):
                owner = owner.base
            if owner.base is not None and (lies_in := map_of(owner)) is not None:
                yield id(lies_in), _MAP
            elif owner.nbytes >= _SMALL:
                yield id(owner), owner.nbytes
        elif kind in (bytes, bytearray, memoryview):
            if (lies_in := map_of(one)) is not None:
                yield id(lies_in), _MAP
            elif len(one) >= _SMALL:
                yield id(one), len(one)
        elif kind is Scene:
            # Nodes and the like are many and small: they are counted, not walked.
            small[0] += 4 * (len(one.nodes) + len(one.materials) + len(one.lights))
            for group in (one.meshes, one.images, one.clips, one.skins, one.clouds):
                waiting.extend(group.values())
        elif kind in (list, tuple, set, frozenset):
            waiting.extend(one)
        elif isinstance(one, Mapping):
            waiting.extend(one.values())
        elif dataclasses.is_dataclass(one):
            waiting.extend([getattr(one, name) for name in _names(kind)])


_PLAIN = frozenset({int, float, bool, str, type(None)})


_NAMES: dict[Any, tuple[str, ...]] = {}


def _names(kind: Any) -> tuple[str, ...]:
    """Names of a dataclass's fields."""
    if kind not in _NAMES:
        _NAMES[kind] = tuple(field.name for field in dataclasses.fields(kind))
    return _NAMES[kind]
