"""A data folder that loses its right to be written while it is used: told in words, nothing lost, all well
when the right is given back.
"""

from __future__ import annotations

import subprocess
import sys
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path

from drill.instance import BOUND, ROOT, Instance, free_port
from drill.scenes import small


@dataclass
class Sealed:
    """What came of it."""

    times: int = 0
    lost: int = 0
    dead: int = 0
    told: Counter[int] = field(default_factory=Counter)
    wrong: list[str] = field(default_factory=list)
    start: str = ""
    """What a second start in the sealed folder said."""


def _rights(folder: Path, files: int, folders: int) -> None:
    """Rights of a folder and of everything in it; what is gone meanwhile is passed over."""
    for path in (folder, *folder.rglob("*")):
        if path.exists() and not path.is_symlink():
            path.chmod(folders if path.is_dir() else files)


def seal_up(instance: Instance, times: int) -> Sealed:
    """Nothing in the folder may be written for a while, in which everything is tried."""
    made = Sealed()
    move = instance.received({"a.glb": small()})
    for number in range(times):
        _rights(instance.data, 0o400, 0o500)
        level = float(number + 1)
        said = [{"target": "environment", "field": "level", "value": level}]
        status, _ = instance.ask(f"/moves/{move}/decisions", "POST", said)
        kept_level = level if status == 200 else None
        made.told[status] += 1
        for act in (
            lambda number=number: instance.upload({f"{number}.glb": small()}),
            lambda: instance.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver", "settings": {}}),
            lambda: instance.ask(f"/moves/{move}/inventory"),
        ):
            made.told[act()[0]] += 1
        _rights(instance.data, 0o600, 0o700)
        made.times += 1
        if kept_level is not None:  # it was said to be kept: it is still there when all can be read again
            made.lost += kept_level not in _levels(instance, move)
        well = instance.well_again(move, level + 0.5)
        made.lost += well and level + 0.5 not in _levels(instance, move)
        made.dead += not well
    made.wrong = list(instance.wrong)
    instance.stop()
    _rights(instance.data, 0o400, 0o500)
    made.start = _started_sealed(instance)
    _rights(instance.data, 0o600, 0o700)
    return made


def _levels(instance: Instance, move: int) -> list[float]:
    """The levels that are decided, as they are told."""
    status, decisions = instance.ask(f"/moves/{move}/decisions")
    return [row["value"] for row in decisions if row["field"] == "level"] if status == 200 else []


def _started_sealed(instance: Instance) -> str:
    """What a start in the sealed folder says at its end; empty where it starts."""
    command = [*BOUND, sys.executable, "-m", "server.run", "--port", str(free_port())]
    try:
        done = subprocess.run(
            command, cwd=ROOT, env=instance.environment(), capture_output=True, text=True, timeout=60
        )
    except subprocess.TimeoutExpired:
        return ""
    return " ".join((done.stderr or done.stdout).split())[-200:] if done.returncode else ""
