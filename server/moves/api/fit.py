"""The Fit stop."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router

from server.moves import rows
from server.moves.api.asking import png, ready, side_within, written
from server.moves.schemas.fit import Coming, FamiliesOut, FitOut, PaintOut, ProposalOut, SampleOut, ShelfOut
from server.moves.soon import soon
from server.moves.store import store
from trasloco.progress import Progress
from trasloco.results import looking, pictures
from trasloco.results import samples as samples_of
from trasloco.results.pages import fit as pages

router = Router()


@router.get("/moves/{move_id}/fit", response=FitOut)
def fit(request: HttpRequest, move_id: int) -> Any:
    bench = ready(move_id)
    # Who has surveyed a delivery measures its plan next, with the images at hand.
    on_its_way = bench.being_received() and bench.surveyed()
    measured = bench.known_plan() is not None or (
        (not on_its_way)
        and soon(f"plan of {move_id}", bench.plan_name.key, lambda report: ready(move_id).plan(report))
    )
    return written(f"fit {measured}", bench, FitOut, lambda: pages.fit_out(bench))


@router.get("/moves/{move_id}/paint", response=PaintOut)
def paint(request: HttpRequest, move_id: int, material: str) -> Any:
    return asdict(looking.paint_seen(ready(move_id), material))


@router.get("/moves/{move_id}/shelf", response=ShelfOut)
def shelf_of(request: HttpRequest, move_id: int) -> Any:
    """The library of materials, and the slots that are named like something in it."""
    return pages.shelf_out(ready(move_id))


@router.get("/shelf.png")
def shelf_png(request: HttpRequest, name: str, side: int = 76) -> HttpResponse:
    return png(samples_of.shelf_sample(store, name, min(side_within(side), 256)), forever=True)


@router.get("/moves/{move_id}/step.png")
def step_png(request: HttpRequest, move_id: int, crossing: str, at: int, side: int = 84) -> HttpResponse:
    return png(pictures.step_png(ready(move_id), crossing, at, min(side_within(side), 512)))


@router.get("/moves/{move_id}/samples", response={200: SampleOut, 202: Coming})
def sample(request: HttpRequest, move_id: int, material: str, quick: bool = False) -> Any:
    """A material on both sides, measured; 202 while it is being made: ask again."""
    bench = ready(move_id)
    key = samples_of.measured_name(bench, material, quick).key

    def make(report: Progress) -> None:
        samples_of.sample(ready(move_id), material, quick)

    if not store.has(key) and not soon(f"sample {quick} of {move_id}", key, make):
        return 202, {"coming": True}
    return 200, rows.sample_out(bench, material, quick)


@router.get("/moves/{move_id}/sample.png")
def sample_png(request: HttpRequest, move_id: int, material: str, side: int = 76) -> HttpResponse:
    return png(samples_of.sample_png(ready(move_id), material, min(side_within(side), 512)))


@router.get("/moves/{move_id}/families", response=FamiliesOut)
def families(request: HttpRequest, move_id: int) -> Any:
    return pages.families_out(ready(move_id))


@router.get("/moves/{move_id}/siblings", response=list[ProposalOut])
def siblings(request: HttpRequest, move_id: int, material: str, image: str) -> Any:
    """What else the set of an image would fill in a material: one proposal or none."""
    bench = ready(move_id)
    made = looking.siblings(bench, material, image)
    return [pages.proposal_out(bench, made)] if made is not None else []


@router.get("/moves/{move_id}/crossing.png")
def crossing_png(request: HttpRequest, move_id: int, crossing: str, side: int = 96) -> HttpResponse:
    return png(pictures.crossing_png(ready(move_id), crossing, side_within(side)))
