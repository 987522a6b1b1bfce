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
    CopyInputs,
    DecisionRowOut,
    FromShelf,
    HistoryOut,
    MakeMaterial,
    RenameIn,
    SwapInputs,
    UseImage,
)
from server.moves.schemas.moves import MoveOut
from trasloco.decisions.kinds import AnyDecision, on_the_wire
from trasloco.results import acts
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


@router.post("/moves/{move_id}/copy-inputs", response=MoveOut)
def copy_inputs(request: HttpRequest, move_id: int, wanted: CopyInputs) -> Any:
    """A material's settings, all or some inputs, given to others; one batch of decisions."""
    made = acts.copying(ready(move_id), wanted.source, wanted.targets, wanted.inputs)
    return take(request, move_id, made)


@router.post("/moves/{move_id}/swap-inputs", response=MoveOut)
def swap_inputs(request: HttpRequest, move_id: int, wanted: SwapInputs) -> Any:
    made = acts.swapping(ready(move_id), wanted.material, wanted.first, wanted.second)
    return take(request, move_id, made)


@router.post("/moves/{move_id}/use-image", response=MoveOut)
def use_image(request: HttpRequest, move_id: int, wanted: UseImage) -> Any:
    """An image that waits, read by an input; what it wants beside it is decided with it."""
    made = acts.using_image(ready(move_id), wanted.target, wanted.image)
    besides = [Decision(d.target, d.field, d.value) for d in wanted.besides]
    return take(request, move_id, [*made, *besides])


@router.post("/moves/{move_id}/from-shelf", response=MoveOut)
def from_shelf(request: HttpRequest, move_id: int, wanted: list[FromShelf]) -> Any:
    """Materials of the library put on slots; one batch of decisions."""
    return take(request, move_id, acts.from_shelf(ready(move_id), [(one.slot, one.name) for one in wanted]))


@router.post("/moves/{move_id}/make-material", response=MoveOut)
def make_material(request: HttpRequest, move_id: int, wanted: MakeMaterial) -> Any:
    """A new material put on parts, groups or faces; one batch of decisions."""
    made = acts.making(
        ready(move_id), wanted.name.strip(), wanted.like, wanted.shelf, wanted.on, wanted.faces
    )
    return take(request, move_id, made)


@router.post("/moves/{move_id}/rename-preview", response=dict[str, str])
def rename_preview(request: HttpRequest, move_id: int, wanted: RenameIn) -> Any:
    """The names a pattern would give, nothing decided yet."""
    return acts.renaming(ready(move_id), wanted.ids, wanted.pattern, wanted.find)
