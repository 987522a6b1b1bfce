"""A delivery under a budget: the choice within limits, and the job that measures."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Query, Router

from server.moves import desk, jobs
from server.moves.api.asking import ready
from server.moves.schemas.budget import BudgetIn, BudgetOut
from server.moves.schemas.moves import JobOut
from trasloco.results.pages.budget import budget_out
from trasloco.results.weights import RESOURCES

router = Router()


@router.get("/moves/{move_id}/budget", response=BudgetOut)
def budget(request: HttpRequest, move_id: int, wanted: Query[BudgetIn]) -> Any:
    """The choice that loses least within limits, where choices were measured."""
    return budget_out(ready(move_id), [getattr(wanted, name) for name in RESOURCES], wanted.keep)


@router.post("/moves/{move_id}/budget", response=JobOut)
def measure(request: HttpRequest, move_id: int, wanted: BudgetIn) -> Any:
    """Measure what every choice saves and loses, or what the choice within limits does as a whole."""
    return desk.job_out(jobs.start(ready(move_id).move, "budget", wanted.dict()))
