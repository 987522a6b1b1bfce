"""Recall on planted faults, kind by kind, over six scene shapes; and alarms on the clean scenes."""

from __future__ import annotations

from bench.report import Benchmark
from bench.size import sized

ROUNDS = sized(3, 1)


def run() -> list[Benchmark]:
    from tests.core.test_faults import recall

    score, alarms = recall(ROUNDS)
    rows = [
        Benchmark(
            f"faults missed, {kind}", total - found, f"of {total} planted", "one in twenty", 0.05 * total, 1.0
        )
        for kind, (found, total) in sorted(score.items())
    ]
    return [
        *rows,
        Benchmark(
            "faults raised on clean scenes",
            sum(alarms.values()),
            f"alarms on {ROUNDS * 6} scenes",
            "one alarm",
            1,
            0.0,
        ),
    ]
