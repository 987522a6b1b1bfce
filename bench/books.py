"""``python -m bench.books``: generated scenes to every sheet until so many were tried; goes on where it
stopped.

Counts what is unaccounted, marks that the bytes contradict, and single facts taken away that are not found.
``make books rounds=5000 minutes=40``.
"""

from __future__ import annotations

import argparse
import json
import os
import random
import sys
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

_CHUNK = 20


def tried(number: int) -> dict[str, Any]:
    """One scene to one sheet, and one fact of what arrived bent."""
    from tests.bending import bends
    from tests.everything import everything
    from trasloco import move
    from trasloco.sheets.library import built_in_sheets

    sheets = built_in_sheets()
    names = [name for name, sheet in sorted(sheets.items()) if sheet.role == "destination"]
    destination = sheets[names[number % len(names)]]
    rng = random.Random(number)
    reference = move.mend(everything(f"long {number}"), sheets["plain"])
    carried = move.carry(reference, move.plan(reference, sheets["plain"], destination), destination)
    arrival = move.arrive(move.package(carried, destination), destination)
    accounts = move.account(reference, arrival, carried.plan, destination)
    found: dict[str, Any] = {
        "counts": accounts.counted(),
        "unaccounted": [entry.key for entry in accounts.unaccounted],
        "missed": "",
        "bent": 0,
    }
    every = list(bends(reference, arrival, carried.plan, rng))
    if every and not accounts.unaccounted:
        bend = rng.choice(every)
        found["bent"] = 1
        if not any(
            entry.item in bend.items
            for entry in move.account(reference, bend.arrival, carried.plan, destination).unaccounted
        ):
            found["missed"] = bend.what
    return found


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--rounds", type=int, default=5000)
    parser.add_argument("--minutes", type=float, default=40)
    asked = parser.parse_args()
    place = Path(os.environ.get("TRASLOCO_DATA", "data")) / "books.json"
    held = (
        json.loads(place.read_text())
        if place.exists()
        else {"done": 0, "counts": {}, "unaccounted": [], "bent": 0, "missed": []}
    )
    counts, until = Counter(held["counts"]), time.monotonic() + 60 * asked.minutes
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        while held["done"] < asked.rounds and time.monotonic() < until:
            numbers = range(held["done"], min(held["done"] + _CHUNK, asked.rounds))
            for number, found in zip(numbers, pool.map(tried, numbers)):
                counts.update(found["counts"])
                held["unaccounted"] += [[number, key] for key in found["unaccounted"]]
                held["bent"] += found["bent"]
                held["missed"] += [[number, found["missed"]]] if found["missed"] else []
            held["done"], held["counts"] = numbers.stop, dict(counts)
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_text(json.dumps(held))
            print(
                f"{held['done']} of {asked.rounds}: {len(held['unaccounted'])} unaccounted, {len(held['missed'])} of {held['bent']} bends missed",
                file=sys.stderr,
            )
    print(json.dumps(held, indent=1))


if __name__ == "__main__":
    main()
