"""``trasloco batch`` and ``trasloco watch``: many deliveries from the command line, once or whenever they
change.
"""

from __future__ import annotations

import contextlib
import json
import sys
import time
from dataclasses import asdict, dataclass
from pathlib import Path

from rich.table import Table

from trasloco.batch import Outcome, Task, all_done, tasks_of
from trasloco.commands.telling import OUT
from trasloco.decisions.reading import read_decisions
from trasloco.errors import Refused
from trasloco.sheets.library import sheet_at
from trasloco.watching import settled


@dataclass(frozen=True)
class Many:
    """Deliveries of a folder, and what is to become of them; ``workers`` 0 for one a processor."""

    folder: Path
    source: str
    to: list[str]
    out: Path
    recipe: Path | None
    prove: bool
    workers: int

    def done(self) -> list[Outcome]:
        """What became of them, each told as it ends; a recipe is read anew each time."""
        decisions = read_decisions(self.recipe) if self.recipe else []
        tasks = tasks_of(self.folder, self.source, self.to, self.out, decisions, self.prove)
        return _all(tasks, self.workers)


def batch(many: Many, as_json: bool) -> int:
    """Carry every delivery of a folder; the exit code of the worst."""
    found = many.done()
    document = _written(found, many.out)
    if as_json:
        print(document)
    else:
        OUT.print(_table(found))
    return max((one.code for one in found), default=0)


def watch(many: Many, every: float) -> None:
    """Deliver and prove again whenever a file of a source changes, until it is stopped."""
    if not many.folder.is_dir():
        raise Refused("There is no such folder.", str(many.folder), "Give a folder with deliveries in it.")
    sheet_at(many.source, "source")
    for one in many.to:
        sheet_at(one, "destination")
    with contextlib.suppress(KeyboardInterrupt):
        for changed in settled(many.folder, many.out, every):
            print(f"{_named(changed, many.folder)} changed", file=sys.stderr, flush=True)
            try:
                found = many.done()
            except Refused as refused:  # the next change may mend it
                OUT.print(f"{refused.what} {refused.remedy}")
                continue
            _written(found, many.out)
            OUT.print(_table(found))
            for told in (one for one in found if one.out and not one.known):
                print(told.out, flush=True)


def _named(changed: list[str], folder: Path) -> str:
    first = str(Path(changed[0]).relative_to(folder)) if changed else "nothing"
    return first + (f" and {len(changed) - 1} more" if len(changed) > 1 else "")


def _all(tasks: list[Task], workers: int) -> list[Outcome]:
    """What became of tasks, each told as it ends."""
    started = time.monotonic()

    def hear(one: Outcome, left: int) -> None:
        passed = time.monotonic() - started
        ended = len(tasks) - left
        words = f", {passed / ended * left:.0f} s left" if left else ""
        print(f"{ended} of {len(tasks)}{words}: {one.name} to {one.to}, {one.state}", file=sys.stderr)

    return all_done(tasks, workers, hear)


def _written(found: list[Outcome], out: Path) -> str:
    """Outcomes as one document, left beside the packages."""
    out.mkdir(parents=True, exist_ok=True)
    document = json.dumps([asdict(one) for one in found], indent=1, ensure_ascii=False)
    (out / "batch.json").write_text(document + "\n")
    return document


def _table(found: list[Outcome]) -> Table:
    marks = ("exact", "close", "lost", "blocked", "unaccounted")
    table = Table("delivery", "to", *marks, "ΔE", "", box=None)
    for one in found:
        judged = f"{one.judged[0]:.1f}" if one.judged else ""
        words = one.words or one.verdict or ("as before" if one.known else "")
        table.add_row(one.name, one.to, *(str(one.marks.get(mark, "")) for mark in marks), judged, words)
    return table
