"""``make drill``: every drill, a table, and an exit code that says whether all held."""

from __future__ import annotations

import argparse
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from drill.calls import call_at_random
from drill.crowd import crowd
from drill.filling import fill_up, gone, small_disk
from drill.instance import Instance, free_port, obeys_rights, processes_of
from drill.killing import kill_at_random
from drill.locking import hold_database
from drill.sealing import seal_up

MOST_TIMES_ALONE = 6.0


@contextmanager
def instance(disk: bool = False, bound_by_rights: bool = False) -> Iterator[Instance]:
    """An instance in a folder that is removed afterwards; on a small disk of its own, or bound by the rights
    of files, where asked.

    Raises:
        PermissionError: this machine does not let such an instance be made.
    """
    if bound_by_rights and not obeys_rights():
        raise PermissionError("root cannot be bound by rights here")
    with tempfile.TemporaryDirectory() as name:
        data = Path(name) / "data"
        if disk and not small_disk(data):
            raise PermissionError("no small disk can be made here")
        one = Instance(data, free_port(), bound_by_rights=bound_by_rights)
        try:
            one.start()
            yield one
        finally:
            one.stop()
            if disk:
                gone(data)


Row = tuple[str, str, bool]


def killing(moments: int) -> list[Row]:
    with instance() as one:
        made = kill_at_random(one, moments)
        lanes = len(one.processes()["lane"])
        alive = len(processes_of(one.data))
    away = sorted(made.away_s)
    ends = ", ".join(f"{count} {state}" for state, count in sorted(made.ends.items()))
    return [
        (f"killed at {made.moments} moments: decisions lost", str(made.lost), made.lost == 0),
        ("  jobs stuck", str(made.stuck), made.stuck == 0),
        ("  how jobs ended", ends, set(made.ends) <= {"done", "stopped"}),
        ("  lanes that live on alone", f"{alive - lanes} beside {lanes}", alive == lanes),
        ("  kept files damaged", str(made.damaged), made.damaged == 0),
        ("  answers of 500 and more", str(len(made.wrong)), not made.wrong),
        ("  away at most", f"{away[-1]:.1f} s" if away else "never", bool(away)),
    ]


def filling(points: int) -> list[Row]:
    try:
        with instance(disk=True) as one:
            made = fill_up(one, points)
    except PermissionError as error:
        return [(f"disk full: {error}", "not tried", True)]
    told = ", ".join(f"{count} x {status}" for status, count in sorted(made.told.items()))
    return [
        (f"disk full at {made.points} points: decisions lost", str(made.lost), made.lost == 0),
        ("  not well again afterwards", str(made.dead), made.dead == 0),
        ("  kept files damaged", str(made.damaged), made.damaged == 0),
        ("  answers", told, any(status in (503, 507, 422) for status in made.told)),
        ("  answers of 500 and more", str(len(made.wrong)), not made.wrong),
    ]


def locking(seconds: float) -> list[Row]:
    with instance() as one:
        made = hold_database(one, seconds)
    told = ", ".join(map(str, sorted(set(made.told))))
    return [
        (f"database held for {seconds:g} s: answers", told, set(made.told) <= {200, 503}),
        ("  the slowest of them", f"{made.slowest_s:.1f} s", made.slowest_s < 20),
        ("  well again afterwards", str(made.well), made.well),
        ("  the job meanwhile", made.job, made.job == "done"),
        ("  answers of 500 and more", str(len(made.wrong)), not made.wrong),
    ]


def sealing(times: int) -> list[Row]:
    try:
        with instance(bound_by_rights=True) as one:
            made = seal_up(one, times)
    except PermissionError as error:
        return [(f"folder sealed: {error}", "not tried", True)]
    told = ", ".join(f"{count} x {status}" for status, count in sorted(made.told.items()))
    return [
        (f"folder sealed {made.times} times: decisions lost", str(made.lost), made.lost == 0),
        ("  not well again afterwards", str(made.dead), made.dead == 0),
        ("  answers", told, 507 in made.told),
        ("  answers of 500 and more", str(len(made.wrong)), not made.wrong),
        ("  started in a sealed folder", made.start, "cannot be written" in made.start),
    ]


def calling(examples: int) -> list[Row]:
    with instance() as one:
        made = call_at_random(one, examples)
    told = ", ".join(f"{count} x {status}" for status, count in sorted(made.statuses.items()))
    for fault in made.faults:
        print(fault)
    return [
        (
            f"{made.calls} random calls of {made.operations} operations: faults",
            str(len(made.faults)),
            not made.faults,
        ),
        ("  answers", told, bool(made.calls) and not any(status >= 500 for status in made.statuses)),
    ]


def crowding(artists: int, seconds: float, alone_s: float) -> list[Row]:
    with instance() as one:
        made = crowd(one, artists, seconds, alone_s)
    rows: list[Row] = []
    for name, alone, together in zip(("decision", "small picture"), made.alone.p95(), made.together.p95()):
        ratio = together / alone
        words = f"{1000 * together:.0f} ms, {ratio:.1f} x {1000 * alone:.0f} ms alone"
        rows.append(
            (f"{made.artists} artists beside a bake: p95 of a {name}", words, ratio <= MOST_TIMES_ALONE)
        )
    lost, away = made.together.lost + made.alone.lost, made.together.away + made.alone.away
    return [
        *rows,
        ("  acts", str(len(made.together.decisions) + len(made.together.pictures)), True),
        ("  decisions lost", str(lost), lost == 0),
        ("  not answered", str(away), away == 0),
        ("  answers of 500 and more", str(len(made.wrong)), not made.wrong),
        ("  the bake meanwhile", made.baked, made.baked in ("running", "done")),
    ]


def main() -> int:
    parser = argparse.ArgumentParser(description="Let things go wrong on purpose.")
    parser.add_argument("--only", default="", help="crowd, full, sealed, calls, lock or kill")
    parser.add_argument("--moments", type=int, default=100)
    parser.add_argument("--points", type=int, default=20)
    parser.add_argument("--artists", type=int, default=20)
    parser.add_argument("--examples", type=int, default=700, help="random calls of each operation")
    parser.add_argument("--seconds", type=float, default=120)
    asked = parser.parse_args()
    drills = {
        "crowd": lambda: crowding(asked.artists, asked.seconds, asked.seconds / 3),
        "full": lambda: filling(asked.points),
        "sealed": lambda: sealing(5),
        "calls": lambda: calling(asked.examples),
        "lock": lambda: locking(60),
        "kill": lambda: killing(asked.moments),
    }
    held = True
    for name, drill in drills.items():
        if asked.only and name != asked.only:
            continue
        started = time.monotonic()
        for words, figure, good in drill():
            held = held and good
            print(f"{'ok  ' if good else 'FAIL'} {words:<60} {figure}", flush=True)
        print(f"     {name} took {time.monotonic() - started:.0f} s", flush=True)
    return 0 if held else 1


if __name__ == "__main__":
    sys.exit(main())
