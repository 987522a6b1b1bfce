"""The shape of a benchmark's result."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from bench.size import sized


@dataclass(frozen=True)
class Benchmark:
    """A measured figure beside a yardstick measured in the same run.

    ``ratio`` is figure / yardstick; it holds when it is at most ``target`` (or at least, when
    ``more_is_better``).
    """

    name: str
    figure: float
    unit: str
    yardstick: str
    yardstick_figure: float
    target: float
    more_is_better: bool = False

    def row(self) -> dict[str, Any]:
        ratio = self.figure / self.yardstick_figure if self.yardstick_figure else float("inf")
        holds = ratio >= self.target if self.more_is_better else ratio <= self.target
        return {
            "name": self.name,
            "figure": round(self.figure, 4),
            "unit": self.unit,
            "yardstick": self.yardstick,
            "yardstick_figure": round(self.yardstick_figure, 4),
            "ratio": round(ratio, 3),
            "target": f"{'at least' if self.more_is_better else 'at most'} {self.target:g}",
            "holds": holds,
        }


def median_seconds(work: Callable[[], Any], runs: int = sized(3, 1)) -> float:
    """Median wall time of several runs."""
    taken = []
    for _ in range(runs):
        started = time.perf_counter()
        work()
        taken.append(time.perf_counter() - started)
    return sorted(taken)[len(taken) // 2]


def peak_mb() -> float:
    """Highest resident memory of this process so far."""
    line = next(
        line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith("VmHWM")
    )
    return int(line.split()[1]) / 1024
