"""The job that measures what a delivery loses under a budget."""

from __future__ import annotations

from server.moves.bench import Bench
from server.moves.models import Job
from trasloco.progress import Progress, part_of
from trasloco.results import budget_layouts
from trasloco.results.weights import RESOURCES


def measure(job: Job, report: Progress) -> None:
    """What every choice saves and loses; where it is asked, what the choice within limits does as a whole."""
    asked, bench = job.settings, Bench(job.move)
    together = bool(asked.get("together"))
    layouts = budget_layouts.measured(bench, part_of(report, 0, 0.8 if together else 1))
    if not together:
        return
    limits = [asked.get(name) for name in RESOURCES]
    within = budget_layouts.share_out(layouts, limits, asked.get("keep") or ())
    if within.chosen:
        budget_layouts.tried(bench, within, part_of(report, 0.8, 1))
