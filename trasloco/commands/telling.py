"""How commands tell what they do: progress, and the terminal they print to."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager

from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from trasloco.progress import Progress as Report

OUT, _ERR = Console(), Console(stderr=True)


@contextmanager
def watching(title: str) -> Iterator[Report]:
    """A progress bar on a terminal; otherwise a line at every quarter, on standard error."""
    if _ERR.is_terminal:
        with Progress(
            TextColumn("{task.description}"),
            BarColumn(),
            TextColumn("{task.percentage:>3.0f}%"),
            TimeRemainingColumn(),
            console=_ERR,
        ) as bars:
            task = bars.add_task(title, total=1.0)
            yield lambda fraction, message: bars.update(
                task, completed=fraction, description=f"{title}: {message}"
            )
            bars.update(task, completed=1.0)
        return
    last = [-1]

    def report(fraction: float, message: str) -> None:
        quarter = int(fraction * 4)
        if quarter != last[0]:
            last[0] = quarter
            print(f"{title} {fraction:.0%} {message}", file=sys.stderr)

    yield report
