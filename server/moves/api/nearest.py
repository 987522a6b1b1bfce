"""The nearest look of materials at the destination: which lose something, what was found, changed by hand."""

from __future__ import annotations

from functools import partial
from typing import Any

from django.http import HttpRequest
from ninja import Router

from server.accounts.access import person_of
from server.moves import desk, jobs
from server.moves.api.asking import ready
from server.moves.schemas.fit import Coming
from server.moves.schemas.moves import JobOut
from server.moves.schemas.nearest import FitAllIn, NearestOut, NearestRows, Nudged, NudgeIn
from server.moves.soon import soon
from server.moves.store import store
from trasloco.progress import Progress
from trasloco.results import fitting
from trasloco.results.name import named
from trasloco.results.pages import nearest as pages

router = Router()


@router.get("/moves/{move_id}/nearest", response=NearestRows)
def rows(request: HttpRequest, move_id: int) -> Any:
    return pages.rows_out(ready(move_id))


@router.get("/moves/{move_id}/nearest/one", response={200: NearestOut, 202: Coming})
def one(request: HttpRequest, move_id: int, material: str, keep: str = "", quick: bool = False) -> Any:
    """A material's fit, measured; 202 while it is being made: ask again. ``keep``: inputs that stay as they
    are, with commas between.
    """
    bench = ready(move_id)
    kept = tuple(filter(None, keep.split(",")))
    key = fitting.nearest_name(bench, material, quick, kept).key

    def make(report: Progress) -> None:
        fitting.nearest(ready(move_id), material, quick, kept)

    if not store.has(key) and not soon(f"nearest {quick} of {move_id}", key, make):
        return 202, {"coming": True}
    return 200, _by_digest(key, pages.one_out(bench, material, quick, kept))


def _by_digest(key: str, told: dict[str, Any]) -> dict[str, Any]:
    """With its pictures by the digests they are served by."""
    for number, light in enumerate(told["lights"]):
        for side in ("meant", "copied", "fitted"):
            name = named("nearest picture", (), key, number, side)
            light[side] = store.blob_of(name.key, partial(bytes, light[side]))
    return told


@router.post("/moves/{move_id}/nearest/all", response=JobOut)
def fit_all(request: HttpRequest, move_id: int, wanted: FitAllIn) -> Any:
    """Look for the nearest looks of materials, all that lose something where none is named, and take them."""
    person = person_of(request)
    asked = {"materials": wanted.materials, "take": wanted.take, "by": person.id if person else 0}
    return desk.job_out(jobs.start(ready(move_id).move, "fit", asked))


@router.post("/moves/{move_id}/nearest/nudged", response=Nudged)
def nudged(request: HttpRequest, move_id: int, wanted: NudgeIn) -> Any:
    copied, after = fitting.nudged(
        ready(move_id), wanted.material, {name: (one.gain, one.offset) for name, one in wanted.inputs.items()}
    )
    return {"copied": copied, "delta_e": after}
