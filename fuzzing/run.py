"""``make fuzz``: many spoilt deliveries on all processors, a line for each kind, and the cases that were not
borne, kept as files.
"""

from __future__ import annotations

import argparse
import os
import random
import subprocess
import sys
import time
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path

os.environ.setdefault("NUMBA_THREADING_LAYER", "workqueue")  # the one that bears forks
for _name in ("NUMBA_NUM_THREADS", "OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS"):
    os.environ.setdefault(_name, "1")


_TOGETHER = 40
"""So many cases are given to a forked process, which goes on until one ends it."""


@dataclass
class Told:
    """What came of some cases."""

    cases: int = 0
    ends: Counter[str] = field(default_factory=Counter)
    bad: list[str] = field(default_factory=list)
    slowest: tuple[float, str] = (0.0, "")
    largest: tuple[float, str] = (0.0, "")
    seconds: float = 0.0


def fuzz(seed: int, cases: int = 0, seconds: float = 0.0, kept: Path | None = None, only: str = "") -> Told:
    """So many cases, or as many as fit into some seconds, one after the other."""
    from fuzzing.deliveries import deliveries
    from fuzzing.forking import outcomes_of, whole_move
    from fuzzing.mutations import spoilt

    sound = {name: files for name, files in deliveries().items() if only in name}
    for files in sound.values():
        whole_move(files)  # what is made once is made before anything forks
    rng, told = random.Random(seed), Told()
    started, names = time.monotonic(), list(sound)
    while (cases and told.cases < cases) or (seconds and time.monotonic() - started < seconds):
        chosen = [names[(told.cases + k) % len(names)] for k in range(_TOGETHER)]
        made = [spoilt(sound[name], rng) for name in chosen]
        for name, files, outcome in zip(chosen, made, outcomes_of(made)):
            told.cases += 1
            told.ends[outcome.end] += 1
            told.slowest = max(told.slowest, (outcome.seconds, name))
            told.largest = max(told.largest, (outcome.mib, name))
            if not outcome.good:
                told.bad.append(f"{name}: {outcome.end} after {outcome.seconds:.1f} s\n{outcome.said}")
                if kept is not None:
                    _keep(kept / f"{seed}-{told.cases}-{outcome.end}", files, outcome.said)
    told.seconds = time.monotonic() - started
    return told


def _keep(folder: Path, files: dict[str, bytes], said: str) -> None:
    for name, data in files.items():
        path = folder / name.replace("..", "_")[-120:].lstrip("/")
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
    (folder / "said.txt").write_text(said)


def main() -> int:
    parser = argparse.ArgumentParser(description="Spoilt deliveries through the whole move.")
    parser.add_argument("--rounds", type=int, default=30_000)
    parser.add_argument("--seconds", type=float, default=0, help="so long instead of so many")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", default="", help="deliveries whose name holds this")
    parser.add_argument("--alone", action="store_true", help="one process, its own share of rounds")
    asked = parser.parse_args()
    kept = Path(os.environ.get("TRASLOCO_DATA", "data")) / "fuzz"
    if not asked.alone:
        return _on_all_processors(asked.rounds, asked.seed, asked.only)
    told = fuzz(asked.seed, 0 if asked.seconds else asked.rounds, asked.seconds, kept, asked.only)
    for one in told.bad:
        print(one)
    ends = ", ".join(f"{count} {end}" for end, count in sorted(told.ends.items()))
    print(
        f"{told.cases} cases: {ends}; {told.cases / told.seconds:.1f} a second; slowest {told.slowest[0]:.1f} s "
        f"({told.slowest[1]}), largest {told.largest[0]:.0f} MiB ({told.largest[1]})"
    )
    return 1 if told.bad else 0


def _on_all_processors(rounds: int, seed: int, only: str) -> int:
    count = os.cpu_count() or 1
    started = time.monotonic()
    command = [
        sys.executable,
        "-m",
        "fuzzing.run",
        "--alone",
        "--rounds",
        str(-(-rounds // count)),
        "--only",
        only,
    ]
    running = [subprocess.Popen([*command, "--seed", str(seed + n)]) for n in range(count)]
    bad = sum(process.wait() != 0 for process in running)
    seconds = time.monotonic() - started
    print(
        f"{'ok  ' if not bad else 'FAIL'} {rounds} cases, {rounds / seconds:.1f} a second on {count} processors"
    )
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
