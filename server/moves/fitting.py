"""The job that fits materials: all that lose something of their look, or some."""

from __future__ import annotations

from django.contrib.auth.models import User

from server.moves.bench import Bench
from server.moves.deciding import keep_decisions
from server.moves.models import Job
from trasloco.errors import Refused
from trasloco.progress import Progress, part_of, saying
from trasloco.results import fitting
from trasloco.results.records import Decision


def fit(job: Job, report: Progress) -> None:
    """Look for the nearest look of materials, and take those that are nearer than copied numbers as one
    act.
    """
    asked = job.settings
    bench = Bench(job.move)
    left = fitting.not_taken(bench, bench.plan())
    chosen = [id for id in left if id in (asked.get("materials") or left)]
    if not chosen:
        raise Refused("No look that is lost is left to be fitted.", job.move.name, "See what was taken.")
    taken: list[Decision] = []
    for number, material in enumerate(chosen):
        name = bench.reference().materials[material].name
        at = part_of(report, number / len(chosen), (number + 1) / len(chosen))
        found = fitting.nearest(bench, material, report=saying(at, f"fitting {name}"))
        if found is not None and found.value is not None:
            taken.append(Decision(material, "fitted", found.value))
    if taken and asked.get("take"):
        report(0.98, "taking what was found")
        keep_decisions(Bench(job.move), taken, User.objects.filter(pk=asked.get("by") or 0).first())
