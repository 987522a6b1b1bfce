"""Jobs about a kept proof: what a difference is made of, and what is worth doing about it."""

from __future__ import annotations

from server.moves.bench import Bench
from server.moves.models import Job, ProofRow
from trasloco.errors import Refused
from trasloco.progress import Progress
from trasloco.results import proving, worth


def current_proof(job: Job, bench: Bench) -> ProofRow:
    """The proof that a job is about, of what is delivered now."""
    row = job.move.proofs.filter(id=job.settings.get("proof")).first()
    if row is None:
        raise Refused("There is no such proof.", str(job.settings.get("proof")), "Reload the page.")
    if row.plan != bench.landed_name.inputs:
        remedy = "Prove again, then ask again."
        raise Refused("The plan has changed since this proof.", f"proof {row.number}", remedy)
    return row


def worth_doing(job: Job, report: Progress) -> None:
    """What would bring the arrival nearer, measured before it is done; written beside the proof's figures."""
    bench = Bench(job.move)
    row = current_proof(job, bench)
    found = worth.worth_doing(bench, row.figures, report)
    row.refresh_from_db()
    row.figures = {**row.figures, "worth": found}
    row.save(update_fields=["figures"])
    Job.objects.filter(id=job.id).update(result={"proof": row.id})


def causes(job: Job, report: Progress) -> None:
    """What the difference of a kept proof is made of; written beside its figures."""
    bench = Bench(job.move)
    row = current_proof(job, bench)
    row.figures = {**row.figures, "causes": proving.blame(bench, row.figures, report)}
    row.save(update_fields=["figures"])
    Job.objects.filter(id=job.id).update(result={"proof": row.id})
