"""The job that measures what a delivery loses under a budget."""

from __future__ import annotations

from server.moves.bench import Bench
from server.moves.models import Job
from trasloco.progress import Progress, part_of
from trasloco.results import budget, budget_shared
from trasloco.results.weights import RESOURCES


def measure(job: Job, report: Progress) -> None:
    """What every choice saves and loses; where it is asked, what the choice within limits does as a whole."""
    asked, bench = job.settings, Bench(job.move)
    together = bool(asked.get("together"))
    found = budget.measured(bench, part_of(report, 0, 0.8 if together else 1))
    if not together:
        return
    limits = [asked.get(name) for name in RESOURCES]
    shared = budget_shared.share_out(found, limits, asked.get("keep") or ())
    chosen = budget_shared.chosen(found, shared.picks)
    if chosen:
        budget_shared.tried(bench, chosen, part_of(report, 0.8, 1))
