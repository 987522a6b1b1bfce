"""The command line as it is installed."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

TRASLOCO = str(Path(sys.executable).parent / "trasloco")
PLAINLY = {**os.environ, "NO_COLOR": "1"}
"""Surroundings in which nothing is coloured."""


def trasloco(*words: str) -> subprocess.CompletedProcess[str]:
    """A command, run to its end."""
    return subprocess.run([TRASLOCO, *words], capture_output=True, text=True, env=PLAINLY, timeout=600)
