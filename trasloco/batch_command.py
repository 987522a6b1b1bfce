"""``trasloco batch``: many deliveries from the command line."""

from __future__ import annotations

import json
import sys
import time
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console
from rich.table import Table

from trasloco.batch import Outcome, all_done, tasks_of
from trasloco.decisions.reading import read_decisions

_out = Console()


def batch_command(
    folder: Annotated[Path, typer.Argument(help="A folder with deliveries in it.")],
    source: Annotated[str, typer.Option("--from", help="Sheet of the source program, or a TOML file.")],
    to: Annotated[
        list[str], typer.Option("--to", help="Sheet of a destination; may be given several times.")
    ],
    out: Annotated[Path, typer.Option("--out", help="Folder for the packages, one in another.")],
    recipe: Annotated[
        Path | None,
        typer.Option("--recipe", help="JSON list of decisions; what fits a delivery is carried out."),
    ] = None,
    prove: Annotated[bool, typer.Option("--prove", help="Measure each arrival in a small picture.")] = False,
    workers: Annotated[int, typer.Option("--workers", help="Processes; 0 for one a processor.")] = 0,
    as_json: Annotated[bool, typer.Option("--json", help="Print one JSON document.")] = False,
) -> None:
    """Carry every delivery of a folder to one destination or several. What was done before, and has not
    changed since, is not done again; nothing is written over. The exit code is that of the worst: 0 done, 1
    something lost, blocked or unaccounted, or proved in a stand-in light, 2 something refused.
    """
    tasks = tasks_of(folder, source, to, out, read_decisions(recipe) if recipe else [], prove)
    started = time.monotonic()

    def hear(one: Outcome, left: int) -> None:
        passed = time.monotonic() - started
        ended = len(tasks) - left
        words = f", {passed / ended * left:.0f} s left" if left else ""
        print(f"{ended} of {len(tasks)}{words}: {one.name} to {one.to}, {one.state}", file=sys.stderr)

    found = all_done(tasks, workers, hear)
    (out / "batch.json").parent.mkdir(parents=True, exist_ok=True)
    document = json.dumps([asdict(one) for one in found], indent=1, ensure_ascii=False)
    (out / "batch.json").write_text(document + "\n")
    if as_json:
        print(document)
    else:
        _out.print(_table(found))
    raise typer.Exit(max((one.code for one in found), default=0))


def _table(found: list[Outcome]) -> Table:
    marks = ("exact", "close", "lost", "blocked", "unaccounted")
    table = Table("delivery", "to", *marks, "ΔE", "", box=None)
    for one in found:
        judged = f"{one.judged[0]:.1f}" if one.judged else ""
        words = one.words or one.verdict or ("as before" if one.known else "")
        table.add_row(one.name, one.to, *(str(one.marks.get(mark, "")) for mark in marks), judged, words)
    return table
