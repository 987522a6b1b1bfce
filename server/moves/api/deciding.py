"""Decisions: made, undone, done again, told."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.http import HttpRequest
from ninja import Router

from server.accounts.access import person_of
from server.moves import desk, rows, undoing
from server.moves.api.asking import move_row, ready
from server.moves.bench import Bench
from server.moves.deciding import keep_decisions
from server.moves.schemas.deciding import (
    BackTo,
    DecisionRowOut,
    HistoryOut,
)
from server.moves.schemas.moves import MoveOut
from trasloco.decisions.kinds import AnyDecision, on_the_wire
from trasloco.results.records import Decision

router = Router()


@router.post("/moves/{move_id}/decisions", response=MoveOut)
def decide(request: HttpRequest, move_id: int, decisions: list[AnyDecision]) -> Any:
    """Add decisions as one batch; what was undone before is forgotten.

    They are tried before they are kept, and what nothing would read is refused.
    """
    return take(request, move_id, [Decision(d.target, d.field, d.value) for d in decisions])


def take(request: HttpRequest, move_id: int, wanted: list[Decision]) -> Any:
    bench, person = ready(move_id), person_of(request)
    keep_decisions(bench, wanted, person)
    return desk.move_out(bench.move, person)


@router.post("/moves/{move_id}/undo", response=MoveOut)
def undo(request: HttpRequest, move_id: int) -> Any:
    move = move_row(move_id)
    undoing.undo(move, person_of(request))
    return desk.move_out(move, person_of(request))


@router.post("/moves/{move_id}/redo", response=MoveOut)
def redo(request: HttpRequest, move_id: int) -> Any:
    move = move_row(move_id)
    undoing.redo(move, person_of(request))
    return desk.move_out(move, person_of(request))


@router.get("/moves/{move_id}/decisions", response=list[DecisionRowOut])
def decisions(request: HttpRequest, move_id: int) -> Any:
    return [on_the_wire(d) for d in Bench(move_row(move_id)).decisions]


@router.get("/moves/{move_id}/history", response=list[HistoryOut])
def history(request: HttpRequest, move_id: int) -> Any:
    return rows.history_out(ready(move_id))


@router.post("/moves/{move_id}/back-to", response=MoveOut)
def back_to(request: HttpRequest, move_id: int, wanted: BackTo) -> Any:
    """Everything decided after a batch is undone, it and everything before holds. 0 undoes all."""
    move = move_row(move_id)
    with transaction.atomic():
        move.decisions.filter(batch__gt=wanted.batch).update(undone=True)
        move.decisions.filter(batch__lte=wanted.batch).update(undone=False)
    return desk.move_out(move, person_of(request))
