"""Processes killed at random moments over every kind of job: nothing acknowledged is lost, nothing is stuck."""

from __future__ import annotations

import contextlib
import hashlib
import random
import time
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from drill.instance import Away, Instance
from drill.scenes import BAKE, small, walled

SMALL = {"width": 160, "height": 90, "samples": 24}
JOBS: tuple[tuple[str, dict[str, Any]], ...] = (
    ("receive", {}),
    ("prove", SMALL),
    ("deliver", {}),
    ("account", {}),
    ("again", {}),
    ("mix", {"width": 96, "height": 54, "samples": 8}),
    ("bake", {"anew": True}),
)
VICTIMS = (("web",), ("work",), ("lane",), ("web", "work"))


@dataclass
class Killed:
    """What came of it."""

    moments: int = 0
    lost: int = 0
    stuck: int = 0
    away_s: list[float] = field(default_factory=list)
    ends: Counter[str] = field(default_factory=Counter)
    damaged: int = 0
    wrong: list[str] = field(default_factory=list)


def kill_at_random(instance: Instance, moments: int, seed: int = 1) -> Killed:
    """Jobs begun, decisions made, processes killed, and everything looked at afterwards."""
    rng, made = random.Random(seed), Killed()
    moves = {kind: instance.received({"a.glb": small()}) for kind in ("work",)}
    baked = instance.received({"w.glb": walled()}, destination="lanterna")
    said = [{"target": "lightmaps", "field": field, "value": value} for field, value in BAKE]
    instance.ask(f"/moves/{baked}/decisions", "POST", said)
    acknowledged: dict[int, float] = {}
    for number in range(moments):
        kind, settings = JOBS[number % len(JOBS)]
        move = baked if kind == "bake" else moves["work"]
        job: int | None = None
        with contextlib.suppress(Away):
            status, told = instance.ask(f"/moves/{move}/jobs", "POST", {"kind": kind, "settings": settings})
            job = told["id"] if status == 200 else None
        level = float(number + 1)
        time.sleep(rng.uniform(0, 2.5))
        victims = VICTIMS[rng.randrange(len(VICTIMS))]
        with contextlib.suppress(Away):
            decision = [{"target": "environment", "field": "level", "value": level}]
            if instance.ask(f"/moves/{moves['work']}/decisions", "POST", decision)[0] == 200:
                acknowledged[moves["work"]] = level
        for victim in victims:
            instance.kill(victim)
        made.moments += 1
        try:
            made.away_s.append(instance.wait_until_it_answers())
            if job is not None:
                made.ends[instance.ended(job)["state"]] += 1
        except (Away, TimeoutError):
            made.stuck += 1
        for move, wanted in acknowledged.items():
            held = instance.ask(f"/moves/{move}/decisions")[1]
            levels = [row["value"] for row in held if row["field"] == "level"]
            made.lost += wanted not in levels
    made.damaged = damaged_files(instance.data)
    made.wrong = list(instance.wrong)
    return made


def damaged_files(data: Path) -> int:
    """Kept files whose name is not their digest."""
    return sum(
        hashlib.sha256(path.read_bytes()).hexdigest() != path.name
        for path in (data / "blobs").rglob("*")
        if path.is_file() and len(path.name) == 64
    )
