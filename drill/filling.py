"""A disk that fills up at many points: told in words, nothing lost, all well when there is room again."""

from __future__ import annotations

import random
import shutil
import subprocess
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path

from drill.instance import Instance
from drill.killing import damaged_files
from drill.scenes import small

DISK_MB = 400


@dataclass
class Filled:
    """What came of it."""

    points: int = 0
    lost: int = 0
    dead: int = 0
    told: Counter[int] = field(default_factory=Counter)
    damaged: int = 0
    wrong: list[str] = field(default_factory=list)


def small_disk(folder: Path) -> bool:
    """A small disk of its own at a folder; False where this machine does not let one be made."""
    folder.mkdir(parents=True, exist_ok=True)
    command = ["mount", "-t", "tmpfs", "-o", f"size={DISK_MB}m", "tmpfs", str(folder)]
    return shutil.which("mount") is not None and subprocess.run(command, capture_output=True).returncode == 0


def gone(folder: Path) -> None:
    """The small disk taken away again."""
    subprocess.run(["umount", "-l", str(folder)], capture_output=True)


def fill_up(instance: Instance, points: int, seed: int = 2) -> Filled:
    """At each point all but a little room is taken, everything is tried, and the room is given back."""
    rng, made = random.Random(seed), Filled()
    move = instance.received({"a.glb": small()})
    ballast, held = instance.data / "ballast", 0.0
    for number in range(points):
        left = rng.choice((0, 4096, 65536, 300_000, 2_000_000, 80_000_000))
        _take(ballast, left)
        level = float(number + 1)
        acts = (
            ("decide", lambda level=level: instance.ask(
                f"/moves/{move}/decisions", "POST", [{"target": "environment", "field": "level", "value": level}]
            )),
            ("upload", lambda: instance.upload({"more.glb": small()}, f"/moves/{move}/files")),
            ("begin", lambda number=number: instance.upload({f"{number}.glb": small()})),
            ("look", lambda: instance.ask(f"/moves/{move}/inventory")),
            ("job", lambda: instance.ask(f"/moves/{move}/jobs", "POST", {"kind": "deliver", "settings": {}})),
        )  # fmt: skip
        jobs = []
        for name, act in acts:
            status, told = act()
            made.told[status] += 1
            if name == "decide" and status == 200:
                held = level
            if name == "job" and status == 200:
                jobs.append(told["id"])
        ballast.unlink(missing_ok=True)
        made.points += 1
        for job in jobs:
            instance.ended(job)
        status, decisions = instance.ask(f"/moves/{move}/decisions")
        kept = [row["value"] for row in decisions if row["field"] == "level"] if status == 200 else []
        made.lost += bool(held) and held not in kept
        if not instance.ask(f"/moves/{move}")[1]["ready"]:  # files that came while there was no room
            instance.ended(
                instance.ask(f"/moves/{move}/jobs", "POST", {"kind": "receive", "settings": {}})[1]["id"]
            )
        if instance.well_again(move, level + 0.5):
            held = level + 0.5
        else:
            made.dead += 1
    made.damaged = damaged_files(instance.data)
    made.wrong = list(instance.wrong)
    return made


def _take(ballast: Path, left: int) -> None:
    """All room but some bytes is taken by a file."""
    try:
        with ballast.open("wb") as file:
            while (free := shutil.disk_usage(ballast.parent).free) > left:
                file.write(bytes(min(1 << 20, free - left)))
                file.flush()
    except OSError:
        pass  # full to the last block
