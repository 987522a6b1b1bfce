"""The newest proof of a move, better known while no job waits."""

from __future__ import annotations

from server.moves.bench import Bench
from server.moves.models import ProofRow
from server.moves.store import put_blob
from trasloco.progress import Progress
from trasloco.results.better_known import better_known


def refine(bench: Bench, report: Progress) -> bool:
    """Whether its figures and pictures were put in place of those it had: false where nothing is left to do."""
    row = bench.move.proofs.order_by("-number").first()
    if row is None or row.plan != bench.landed_name.inputs or row.code != bench.proving_code:
        return False
    made = better_known(bench, row.figures, report)
    if made is None:
        return False
    pictures = {
        view: {side: put_blob(data) for side, data in sides.items()} for view, sides in made.pictures.items()
    }
    now = ProofRow.objects.filter(id=row.id).first()
    if now is None:
        return False
    # What was told of it meanwhile, such as its causes, stays.
    now.figures, now.pictures = {**now.figures, **made.figures}, pictures
    now.save(update_fields=["figures", "pictures", "updated"])
    return True
