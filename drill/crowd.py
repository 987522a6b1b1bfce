"""Many artists at once while light is baked: how long decisions and small pictures take, beside one alone."""

from __future__ import annotations

import random
import threading
import time
from dataclasses import dataclass, field
from urllib.parse import quote

import numpy as np

from drill.instance import Away, Instance
from drill.scenes import BAKE, small, walled

THINKING_S = (2.0, 6.0)
"""How long an artist looks before the next act."""


@dataclass
class Times:
    """Seconds of each act."""

    decisions: list[float] = field(default_factory=list)
    pictures: list[float] = field(default_factory=list)
    away: int = 0
    lost: int = 0

    def p95(self) -> tuple[float, float]:
        return float(np.percentile(self.decisions, 95)), float(np.percentile(self.pictures, 95))


@dataclass
class Crowd:
    alone: Times
    together: Times
    baked: str
    artists: int
    wrong: list[str]


def _work(instance: Instance, move: int, seconds: float, seed: int, times: Times, hurry: float = 1.0) -> None:
    """One artist: an exposure or a name is decided, a picture is looked at."""
    rng, until, level = random.Random(seed), time.monotonic() + seconds, 0.0
    worn = instance.ask(f"/moves/{move}/inventory")[1]["materials"][0]["id"]
    while time.monotonic() < until:
        time.sleep(rng.uniform(*THINKING_S) * hurry)
        try:
            level = round(rng.uniform(1, 20), 3)
            said = [{"target": "environment", "field": "level", "value": level}]
            started = time.monotonic()
            status, _ = instance.ask(f"/moves/{move}/decisions", "POST", said)
            times.decisions.append(time.monotonic() - started)
            started = time.monotonic()
            side = rng.choice((64, 96, 128))
            instance.ask(
                f"/moves/{move}/input.png?material={quote(worn)}&name=base_color&side={side}&v={level}"
            )
            times.pictures.append(time.monotonic() - started)
            held = instance.ask(f"/moves/{move}/decisions")[1]
            times.lost += status == 200 and level not in [row["value"] for row in held]
        except Away:
            times.away += 1


def crowd(
    instance: Instance, artists: int = 20, seconds: float = 120, alone_s: float = 40, hurry: float = 1
) -> Crowd:
    """One artist alone, then many while a bake runs."""
    moves = [instance.received({f"{n}.glb": small()}) for n in range(artists)]
    baked = instance.received({"w.glb": walled()}, destination="lanterna")
    said = [{"target": "lightmaps", "field": field, "value": value} for field, value in BAKE]
    instance.ask(f"/moves/{baked}/decisions", "POST", said)
    longer = [{"target": "lightmaps", "field": "paths", "value": 4096}]
    instance.ask(f"/moves/{baked}/decisions", "POST", longer)
    alone, together = Times(), Times()
    for move in moves:
        _work(instance, move, 0.5, 0, Times(), 0.1)  # what is made once is made before anything is timed
    _work(instance, moves[0], alone_s, 0, alone, 0.25)
    job = instance.ask(f"/moves/{baked}/jobs", "POST", {"kind": "bake", "settings": {"anew": True}})[1]["id"]
    threads = [
        threading.Thread(target=_work, args=(instance, move, seconds, n + 1, together, hurry))
        for n, move in enumerate(moves)
    ]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    state = str(instance.ask(f"/jobs/{job}")[1]["state"])
    instance.ask(f"/jobs/{job}/cancel", "POST", {})
    instance.ended(job)
    return Crowd(alone, together, state, artists, list(instance.wrong))
