"""Where results are kept: given to the route from outside.

The command line has one in memory; a server has one with a disk.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any, Protocol

from trasloco.keeping import keeping
from trasloco.results.memory import Memory


class Store(Protocol):
    """Objects by key."""

    def has(self, key: str) -> bool:
        """Whether there is something under a key."""

    def get(self, key: str) -> Any:
        """What is under a key, or None."""

    def put(self, key: str, made: Any) -> None:
        """Keep something under a key, whatever was there."""

    def drop(self, key: str) -> None:
        """Forget what is under a key."""

    def recall(self, key: str) -> Any:
        """What is in memory under a key, or None."""

    def remember(self, key: str, made: Any) -> None:
        """Keep something in memory alone."""

    def get_or_make(self, key: str, make: Callable[[], Any], keep: bool = True) -> Any:
        """What is under a key; made when nobody has it, and by one thread when several ask.

        ``keep=False``: in memory only.
        """


class MemoryStore:
    """A store that forgets when its process ends."""

    def __init__(self, most_bytes: int = 2**31) -> None:
        self.memory = Memory(most_bytes)
        self._guard = threading.Lock()
        self._making: dict[str, threading.Lock] = {}

    def has(self, key: str) -> bool:
        return key in self.memory

    def get(self, key: str) -> Any:
        return self.recall(key)

    def put(self, key: str, made: Any) -> None:
        self.memory.put(key, made)

    def drop(self, key: str) -> None:
        self.memory.drop(key)

    def recall(self, key: str) -> Any:
        """What is in memory under a key, or None."""
        try:
            return self.memory.get(key)
        except KeyError:
            return None

    def remember(self, key: str, made: Any) -> None:
        """Keep something in memory alone."""
        self.memory.put(key, made)

    def get_or_make(self, key: str, make: Callable[[], Any], keep: bool = True) -> Any:
        try:
            return self.memory.get(key)
        except KeyError:
            pass
        with self._guard:
            lock = self._making.setdefault(key, threading.Lock())
        with lock:
            try:
                return self.memory.get(key)
            except KeyError:
                with keeping(self):
                    made = self._fetched(key, make, keep)
                self.memory.put(key, made)
                return made
            finally:
                with self._guard:
                    self._making.pop(key, None)

    def _fetched(self, key: str, make: Callable[[], Any], keep: bool) -> Any:
        """What is not in memory: from wherever else it is kept, or made."""
        return make()


class TryingStore(MemoryStore):
    """A store beside another: what that one holds is read, what is made is forgotten with this one. For what
    is only tried, and would push what is used out of the other.
    """

    def __init__(self, others: Store, most_bytes: int = 2**29) -> None:
        super().__init__(most_bytes)
        self.others = others

    def has(self, key: str) -> bool:
        return super().has(key) or self.others.has(key)

    def recall(self, key: str) -> Any:
        held = super().recall(key)
        return held if held is not None else self.others.recall(key)

    def get(self, key: str) -> Any:
        held = super().recall(key)
        return held if held is not None else self.others.get(key)

    def _fetched(self, key: str, make: Callable[[], Any], keep: bool) -> Any:
        held = self.others.get(key) if self.others.has(key) else None
        return held if held is not None else make()
