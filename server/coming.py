"""What is still being made while the application is already there: kernels, and the demo's deliveries.

It is told on the page (:func:`told`), by a file in the data folder that is there as long as something is
coming.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

from server.holding import child_environment

_FILE = "coming.json"
KERNELS = ("The renderer is being prepared; first pictures take a minute until then.", "trasloco.warm")
DEMO = ("The demo's deliveries are being made; each is on the desk once it is there.", "django", "seed_demo")


@dataclass
class Coming:
    """Processes that run once, beside everything else.

    Args:
        data: the data folder. wanted: words for each, the module that makes it, and what it is given.
    """

    data: Path
    wanted: Sequence[tuple[str, ...]]
    _running: dict[str, subprocess.Popen[bytes]] = field(default_factory=dict)

    def start(self) -> None:
        """Start all, at a lower priority than what an artist waits for."""
        for words, *command in self.wanted:
            self._running[words] = subprocess.Popen(
                [sys.executable, "-m", *command], env=child_environment(), preexec_fn=_politely
            )
        self._tell()

    def tend(self) -> None:
        """Look which of them are done. One that failed told so on the terminal; it is tried at the next
        start.
        """
        done = [words for words, process in self._running.items() if process.poll() is not None]
        for words in done:
            del self._running[words]
        if done:
            self._tell()

    def stop(self) -> None:
        """End what still runs."""
        for process in self._running.values():
            process.terminate()
        for process in self._running.values():
            process.wait()
        self._running.clear()
        self._tell()

    def _tell(self) -> None:
        path = self.data / _FILE
        if self._running:
            fresh = path.with_suffix(".new")
            fresh.write_text(json.dumps(list(self._running)))
            fresh.replace(path)
        else:
            path.unlink(missing_ok=True)


def _politely() -> None:
    os.nice(10)


def told(data: Path) -> list[str]:
    """What is still coming, in words."""
    try:
        return [str(one) for one in json.loads((data / _FILE).read_text())]
    except (OSError, ValueError):
        return []
