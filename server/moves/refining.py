"""What is done about the newest proof of a move while no job waits."""

from __future__ import annotations

from typing import Any

from server.moves.bench import Bench
from server.moves.models import ProofRow
from server.moves.store import put_blob
from trasloco.progress import Progress
from trasloco.results import proving, worth
from trasloco.results.better_known import better_known, next_step


def go_on(bench: Bench, report: Progress) -> bool:
    """Whether something was found out about it, and is kept with it: false where nothing is left to do."""
    row = bench.move.proofs.order_by("-number").first()
    if row is None or row.plan != bench.landed_name.inputs or row.code != bench.proving_code:
        return False
    step = next_step(bench, row.figures)
    if step == "causes":
        _keep(row, {"causes": proving.blame(bench, row.figures, report)})
    elif step == "worth":
        _keep(row, {"worth": worth.worth_doing(bench, row.figures, report)})
    elif step == "draw on":
        made = better_known(bench, row.figures, report)
        if made is None:
            return False
        _keep(row, made.figures, made.pictures)
    return step is not None


def _keep(
    row: ProofRow, figures: dict[str, Any], pictures: dict[str, dict[str, bytes]] | None = None
) -> None:
    """Figures, and pictures in place of those that were; what was told of it meanwhile stays."""
    now = ProofRow.objects.filter(id=row.id).first()
    if now is None:
        return
    now.figures = {**now.figures, **figures}
    if pictures is not None:
        now.pictures = {
            view: {side: put_blob(data) for side, data in sides.items()} for view, sides in pictures.items()
        }
    now.save(update_fields=["figures", "pictures", "updated"])
