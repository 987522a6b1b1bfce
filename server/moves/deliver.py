"""Jobs of the Handover stop: a package under a number, and one that came back."""

from __future__ import annotations

from django.db import transaction

from server.moves.bench import Bench
from server.moves.models import Handover, Job
from server.moves.store import blob_at_rest, get_blob, put_blob
from trasloco.errors import Refused
from trasloco.progress import Progress
from trasloco.results import proving, way_back
from trasloco.results.coming_in import bounded
from trasloco.results.delivering import delivered


def _proof_shown(bench: Bench) -> proving.ShownProof | None:
    """The last proof of what is delivered, as a report shows it."""
    row = bench.move.proofs.filter(plan=bench.landed_name.inputs).order_by("-number").first()
    if row is None:
        return None
    held = row.pictures

    def picture(view: str, side: str) -> bytes | None:
        return get_blob(held[view][side]) if view in held else None

    return proving.shown_of(row.figures, picture)


def deliver(job: Job, report: Progress) -> None:
    bench = Bench(job.move)
    same = job.move.handovers.filter(plan=bench.landed_name.inputs, created__gte=job.created).first()
    if same is not None:
        # Pressed again while this very package was being written: it is there.
        Job.objects.filter(id=job.id).update(result={"handover": same.id})
        return
    last = job.move.handovers.order_by("-number").values_list("number", flat=True).first() or 0
    made = delivered(bench, _proof_shown(bench), report, last + 1)
    files = {
        path: {"blob": put_blob(data), "size": len(data), "for": made.purposes.get(path, "")}
        for path, data in made.files.items()
    }
    papers = {"report": put_blob(made.report), "archive": put_blob(made.archive())}
    with transaction.atomic():
        number = (job.move.handovers.order_by("-number").values_list("number", flat=True).first() or 0) + 1
        row = Handover.objects.create(
            move=job.move,
            number=number,
            destination=bench.destination.name,
            files=files,
            marks=dict(made.accounts.counted()),
            packing_list=made.contents,
            plan=bench.landed_name.inputs,
            steps=made.steps,
            **papers,
        )
    Job.objects.filter(id=job.id).update(result={"handover": row.id})


def take_back(job: Job, report: Progress) -> None:
    """What a package that came back says."""
    bench = Bench(job.move)
    row = job.move.handovers.filter(id=job.settings.get("handover", 0)).first()
    if row is None or row.plan != bench.landed_name.inputs:
        raise Refused(
            "The move has changed since that package was delivered.",
            job.move.name,
            "Deliver again, or undo until it stands as it was delivered.",
        )
    delivered = {path: blob_at_rest(entry["blob"]) for path, entry in row.files.items()}
    returned = {path: blob_at_rest(blob) for path, blob in job.settings["files"].items()}
    with bounded():
        found, images = way_back.came_back(bench, delivered, returned, report)
    kept = {path: put_blob(data) for path, data in images.items()}
    Job.objects.filter(id=job.id).update(result={"came": found, "images": kept})
