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
from server.moves.schemas.nearest import ElsewhereOut, FitAllIn, NearestOut, NearestRows, Nudged, NudgeIn
from server.moves.sheets import sheet_of
from server.moves.soon import soon
from server.moves.store import store
from trasloco.progress import Progress
from trasloco.results import elsewhere, fitting
from trasloco.results.name import named
from trasloco.results.pages import nearest as pages

router = Router()


@router.get("/moves/{move_id}/nearest", response=NearestRows)
def rows(request: HttpRequest, move_id: int) -> Any:
    return pages.rows_out(ready(move_id))


@router.get("/moves/{move_id}/nearest/one", response={200: NearestOut, 202: Coming})
def one(request: HttpRequest, move_id: int, material: str, keep: str = "") -> Any:
    """A material's fit, measured: a first look, while the one for good is being made; 202 before that. Ask
    again. ``keep``: inputs that stay as they are, with commas between.
    """
    bench = ready(move_id)
    kept = tuple(filter(None, keep.split(",")))
    made = fitting.known(bench, material, kept)
    if made is None or made.rough:
        quick = made is None
        key = fitting.nearest_name(bench, material, quick, kept).key

        def make(report: Progress) -> None:
            fitting.nearest(ready(move_id), material, quick, kept)

        soon(f"nearest of {move_id}", key, make)
        made = fitting.known(bench, material, kept)
    if made is None and fitting.none_to_find(bench, material, kept):
        raise fitting.nothing_lost(material)
    if made is None:
        return 202, {"coming": True}
    key = fitting.nearest_name(bench, material, made.rough, kept).key
    return 200, _by_digest(key, pages.one_out(bench, material, made, kept))


def _by_digest(key: str, told: dict[str, Any]) -> dict[str, Any]:
    """With its pictures by the digests they are served by."""
    for number, light in enumerate(told["lights"]):
        for side in ("meant", "copied", "fitted"):
            name = named("nearest picture", (), key, number, side)
            light[side] = store.blob_of(name.key, partial(bytes, light[side]))
    return told


@router.get("/moves/{move_id}/nearest/at", response={200: ElsewhereOut, 202: Coming})
def at(request: HttpRequest, move_id: int, material: str, sheet: str) -> Any:
    """A material at any destination: untouched, copied, fitted; 202 while it is being made: ask again."""
    bench, there = ready(move_id), sheet_of(sheet, "destination")
    key = elsewhere.elsewhere_name(bench, material, there).key

    def make(report: Progress) -> None:
        elsewhere.elsewhere(ready(move_id), material, there)

    if not store.has(key) and not soon(f"{sheet} for {material} of {move_id}", key, make):
        return 202, {"coming": True}
    told = pages.elsewhere_out(there, elsewhere.elsewhere(bench, material, there))
    for side in told["sides"]:
        name = named("elsewhere picture", (), key, side["side"])
        side["picture"] = store.blob_of(name.key, partial(bytes, side["picture"]))
    return 200, told


@router.post("/moves/{move_id}/nearest/all", response=JobOut)
def fit_all(request: HttpRequest, move_id: int, wanted: FitAllIn) -> Any:
    """Look for the nearest looks of materials, all that lose something where none is named, and take them."""
    person = person_of(request)
    asked = {"materials": wanted.materials, "take": wanted.take, "by": person.id if person else 0}
    return desk.job_out(jobs.start(ready(move_id).move, "fit", asked))


@router.post("/moves/{move_id}/nearest/nudged", response={200: Nudged, 202: Coming})
def nudged(request: HttpRequest, move_id: int, wanted: NudgeIn) -> Any:
    """What changes by hand come to; 202 while what they are measured by is being made: ask again."""
    bench = ready(move_id)

    def make(report: Progress) -> None:
        fitting.task(ready(move_id), wanted.material)

    if not soon(f"fit task of {move_id}", fitting.task_name(bench, wanted.material).key, make):
        return 202, {"coming": True}
    copied, after = fitting.nudged(
        bench, wanted.material, {name: (one.gain, one.offset) for name, one in wanted.inputs.items()}
    )
    return 200, {"copied": copied, "delta_e": after}
