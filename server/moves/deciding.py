"""Decisions kept: tried first, then one batch that forgets what was undone before."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import transaction

from server.moves.bench import Bench
from server.moves.models import DecisionRow
from trasloco.decisions.targets import check_targets
from trasloco.decisions.values import plain
from trasloco.results.records import Decision


def keep_decisions(bench: Bench, wanted: list[Decision], person: User | None = None) -> None:
    """Add decisions to a move as one batch; what the person took back before is forgotten.

    Raises:
        Refused: one of them cannot be, or nothing would read it; none is kept.
    """
    check_targets(wanted, bench.received().scene, bench.settled(), bench.mended_with(wanted))
    with transaction.atomic():
        bench.move.decisions.filter(undone=True, by=person).delete()
        last = bench.move.decisions.order_by("-batch").values_list("batch", flat=True).first() or 0
        DecisionRow.objects.bulk_create(
            DecisionRow(
                move=bench.move,
                batch=last + 1,
                target=d.target,
                field=d.field,
                value=plain(d.value),
                by=person,
            )
            for d in wanted
        )
