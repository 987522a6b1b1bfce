"""A database that something else holds: told in words, nothing lost, all well when it is let go of."""

from __future__ import annotations

import sqlite3
import threading
import time
from contextlib import closing
from dataclasses import dataclass, field

from drill.instance import Instance
from drill.scenes import small


@dataclass
class Held:
    """What came of it."""

    told: list[int] = field(default_factory=list)
    slowest_s: float = 0.0
    well: bool = False
    job: str = ""
    wrong: list[str] = field(default_factory=list)


def hold_database(instance: Instance, seconds: float) -> Held:
    """Nothing can be written for some seconds, while decisions are made and a job runs."""
    made = Held()
    move = instance.received({"a.glb": small()})
    job = instance.ask(f"/moves/{move}/jobs", "POST", {"kind": "account", "settings": {}})[1]["id"]
    over = threading.Event()

    def hold() -> None:
        with closing(sqlite3.connect(instance.data / "trasloco.sqlite3", timeout=30)) as database:
            database.execute("BEGIN EXCLUSIVE")
            over.wait(seconds)
            database.rollback()

    holder = threading.Thread(target=hold)
    holder.start()
    time.sleep(0.3)
    while holder.is_alive():
        started = time.monotonic()
        said = [{"target": "environment", "field": "level", "value": 3.0}]
        made.told.append(instance.ask(f"/moves/{move}/decisions", "POST", said)[0])
        made.slowest_s = max(made.slowest_s, time.monotonic() - started)
    holder.join()
    said = [{"target": "environment", "field": "level", "value": 5.0}]
    made.well = instance.ask(f"/moves/{move}/decisions", "POST", said)[0] == 200
    made.job = instance.ended(job)["state"]
    made.wrong = list(instance.wrong)
    return made
