"""Processes that are kept running: one that ends by itself is started again, after pauses that grow."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from server.holding import child_environment

LONGEST_PAUSE_S = float(os.environ.get("TRASLOCO_LONGEST_PAUSE_S", "60"))
FIRST_PAUSE_S, SETTLED_S = min(1.0, LONGEST_PAUSE_S), 300.0
"""After how long a process is started again, at least and at most; and for how long it has to run until its
pause is short again.
"""


@dataclass
class Tended:
    """A process that is kept running.

    Args:
        name: what it is called when something is told of it. command: how it is started. quiet: whether what
            it prints is dropped. clock: seconds, from any start. on_end: hears once of each end that nobody
            asked for, with the return code (minus the signal that ended it). opened: another way to start it.
    """

    name: str
    command: Sequence[str]
    quiet: bool = False
    clock: Callable[[], float] = time.monotonic
    on_end: Callable[[int], None] | None = None
    opened: Callable[[], subprocess.Popen[bytes]] | None = None
    process: subprocess.Popen[bytes] | None = None
    pause_s: float = FIRST_PAUSE_S
    starts: int = 0
    _begun: float = 0.0
    _due: float | None = field(default=None)

    def start(self) -> None:
        """Start it."""
        self.process = self.opened() if self.opened is not None else self._open()
        self._begun, self._due = self.clock(), None
        self.starts += 1

    def _open(self) -> subprocess.Popen[bytes]:
        out = subprocess.DEVNULL if self.quiet else None
        return subprocess.Popen(self.command, stdout=out, env=child_environment())

    def tend(self) -> None:
        """Look after it: start it again when it has ended and its pause is over."""
        now = self.clock()
        if self.process is None or self.process.poll() is None:
            if now - self._begun > SETTLED_S:
                self.pause_s = FIRST_PAUSE_S
            return
        if self._due is None:
            told = f"The {self.name} ended by itself ({self.process.returncode})."
            print(f"{told} It is started again in {self.pause_s:g} s.", file=sys.stderr, flush=True)
            if self.on_end is not None:
                self.on_end(self.process.returncode)
            self._due = now + self.pause_s
            self.pause_s = min(self.pause_s * 2, LONGEST_PAUSE_S)
        elif now >= self._due:
            self.start()

    @property
    def ended(self) -> bool:
        """Whether it is not running now."""
        return self.process is None or self.process.poll() is not None

    def restart(self) -> None:
        """End it at once and start it again."""
        if self.process is not None and self.process.poll() is None:
            self.process.kill()
            self.process.wait()
        self.start()

    def stop(self, within_s: float = 8.0) -> None:
        """Ask it to end, and end it where it does not."""
        if self.process is None or self.process.poll() is not None:
            return
        self.process.terminate()
        try:
            self.process.wait(within_s)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait()
