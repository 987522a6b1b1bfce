"""Signing in slows down for a name, and for an address, after several tries that failed."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

FREE_TRIES, FIRST_PAUSE_S, LONGEST_PAUSE_S, MOST_KEYS = 5, 2.0, 900.0, 10_000


class Throttle:
    """Failed tries by key; after a few of them each doubles the pause until the next is listened to."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._guard = threading.Lock()
        self._failed: dict[str, tuple[int, float]] = {}

    def wait_s(self, *keys: str) -> float:
        """Seconds until a try under these keys is listened to."""
        with self._guard:
            return max((self._wait_s(key) for key in keys), default=0.0)

    def failed(self, *keys: str) -> None:
        """A try failed."""
        with self._guard:
            for key in keys:
                count, _ = self._failed.pop(key, (0, 0.0))
                self._failed[key] = count + 1, self._clock()
            while len(self._failed) > MOST_KEYS:
                del self._failed[next(iter(self._failed))]

    def succeeded(self, *keys: str) -> None:
        """A try succeeded: earlier failures are forgotten."""
        with self._guard:
            for key in keys:
                self._failed.pop(key, None)

    def _wait_s(self, key: str) -> float:
        count, last = self._failed.get(key, (0, 0.0))
        if count < FREE_TRIES:
            return 0.0
        pause = min(FIRST_PAUSE_S * 2.0 ** (count - FREE_TRIES), LONGEST_PAUSE_S)
        return max(last + pause - self._clock(), 0.0)


THROTTLE = Throttle()
