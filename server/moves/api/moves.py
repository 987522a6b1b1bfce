"""Moves: begun, changed, taken off the desk; their jobs; bytes by their digest."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction
from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Form, Router, UploadedFile

from demo.samples import SAMPLES
from server.accounts.access import person_of, visible
from server.moves import desk, jobs
from server.moves.api.asking import blob, move_row, ready
from server.moves.files import keep_files
from server.moves.models import Job, Move, Revision
from server.moves.schemas.moves import (
    CarryIn,
    JobIn,
    JobOut,
    MoveChange,
    MoveOut,
    PulseOut,
    SampleFileOut,
    SampleMoveIn,
)
from server.moves.sheets import sheet_of
from server.moves.store import blob_at_rest, put_blob
from trasloco.errors import Refused
from trasloco.results.coming_in import legible, split_delivery

router = Router()
_SAMPLES = Path(settings.DATA_DIR) / "demo" / "samples"


@router.get("/moves", response=list[MoveOut])
def moves(request: HttpRequest) -> Any:
    return HttpResponse(desk.desk_json(person_of(request)), content_type="application/json; charset=utf-8")


@router.post("/moves", response=MoveOut)
def make_move(
    request: HttpRequest,
    files: File[list[UploadedFile]],
    paths: Form[list[str]] = [],  # noqa: B006
    name: Form[str] = "",
    source: Form[str] = "plain",
    destination: Form[str] = "lanterna",
    apart: Form[bool] = False,
) -> Any:
    """One move of everything, or with ``apart`` one for each independent model; the first of them is
    answered.
    """
    sheet_of(source, "source")
    sheet_of(destination, "destination")
    person = person_of(request)
    kept = keep_files(files, paths)
    if apart:
        groups = split_delivery({path: blob_at_rest(blob) for path, blob in kept.items()})
        made = [
            begun(model, {path: put_blob(data) for path, data in held.items()}, source, destination, person)
            for model, held in groups.items()
        ]
        return desk.move_out(made[0], person)
    shown = (
        legible(name) or re.sub(r"\.[A-Za-z0-9]+$", "", next(iter(kept)).rsplit("/", 1)[-1]) or "Untitled"
    )[:200]
    return desk.move_out(begun(shown, kept, source, destination, person), person)


def begun(name: str, kept: dict[str, str], source: str, destination: str, person: User | None = None) -> Move:
    with transaction.atomic():
        shown = legible(name)[:200]
        move = Move.objects.create(name=shown, source=source, destination=destination, owner=person)
        Revision.objects.create(move=move, number=1, files=kept)
        jobs.start(move, "receive")
    return move


@router.get("/samples", response=list[SampleFileOut])
def samples(request: HttpRequest) -> Any:
    """Sample deliveries that were generated beside the demo."""
    return [
        {"file": s.file, "title": s.title, "note": s.note, "source": s.source}
        for s in SAMPLES
        if (_SAMPLES / s.file).is_file()
    ]


@router.post("/moves/from-sample", response=MoveOut)
def move_from_sample(request: HttpRequest, wanted: SampleMoveIn) -> Any:
    found = next((s for s in SAMPLES if s.file == wanted.file), None)
    if found is None or not (_SAMPLES / found.file).is_file():
        raise Refused("There is no such sample.", wanted.file, "Choose one of those on the desk.")
    sheet_of(wanted.destination, "destination")
    return desk.move_out(
        begun(
            found.title,
            {found.file: put_blob((_SAMPLES / found.file).read_bytes())},
            found.source,
            wanted.destination,
            person_of(request),
        ),
        person_of(request),
    )


@router.get("/moves/{move_id}", response=MoveOut)
def one_move(request: HttpRequest, move_id: int) -> Any:
    move = move_row(move_id)
    jobs.read_again(move)
    return desk.move_out(move, person_of(request))


@router.get("/moves/{move_id}/pulse", response=PulseOut)
def pulse(request: HttpRequest, move_id: int) -> Any:
    """Cheap to ask often: others may be at work on the same move."""
    return {"beat": desk.beat(move_row(move_id))}


@router.patch("/moves/{move_id}", response=MoveOut)
def change_move(request: HttpRequest, move_id: int, change: MoveChange) -> Any:
    move = move_row(move_id)
    if change.source:
        move.source = sheet_of(change.source, "source").name.lower()
    if change.destination:
        move.destination = sheet_of(change.destination, "destination").name.lower()
    if change.name and legible(change.name):
        move.name = legible(change.name)[:200]
    move.save()
    return desk.move_out(move, person_of(request))


@router.delete("/moves/{move_id}", response={204: None})
def delete_move(request: HttpRequest, move_id: int) -> Any:
    """Taken off the desk: it can be brought back for some time. What it was doing stops."""
    move = move_row(move_id)
    move.deleted = timezone.now()
    move.save(update_fields=["deleted"])
    for job in move.jobs.filter(state__in=(Job.State.WAITING, Job.State.RUNNING)):
        jobs.cancel(job)
    return 204, None


@router.post("/moves/{move_id}/jobs", response=JobOut)
def start_job(request: HttpRequest, move_id: int, wanted: JobIn) -> Any:
    move = move_row(move_id)
    if wanted.kind != "receive":
        ready(move_id)
    return desk.job_out(jobs.start(move, wanted.kind, wanted.settings.model_dump(exclude_unset=True)))


@router.post("/moves/{move_id}/carry", response=MoveOut)
def carry(request: HttpRequest, move_id: int, wanted: CarryIn) -> Any:
    """The whole move at one press: delivered, and proved where asked; see :class:`CarryIn`."""
    move, person = move_row(move_id), person_of(request)
    if wanted.recipe is not None and not visible(person).filter(id=wanted.recipe).exists():
        raise Refused("There is no such move to take decisions from.", move.name, "Choose one on the desk.")
    revision = move.revisions.order_by("-number").first()
    if revision is None or not revision.received or revision.refusal:
        raise Refused("The delivery was not read.", move.name, "Wait for it to finish, or read it again.")
    if wanted.destination is not None:
        sheet_of(wanted.destination, "destination")
        move.destination = wanted.destination
        move.save(update_fields=["destination"])
    jobs.read_again(move)  # what was read by an earlier version is read first
    asked = {"recipe": wanted.recipe, "prove": wanted.prove, "by": person.pk if person else None}
    jobs.start(move, "carry", asked)
    return desk.move_out(move, person)


@router.get("/jobs/{job_id}", response=JobOut)
def one_job(request: HttpRequest, job_id: int) -> Any:
    return desk.job_out(get_object_or_404(Job, id=job_id))


@router.post("/jobs/{job_id}/cancel", response=JobOut)
def cancel_job(request: HttpRequest, job_id: int) -> Any:
    job = get_object_or_404(Job, id=job_id)
    jobs.cancel(job)
    job.refresh_from_db()
    return desk.job_out(job)


@router.get("/blobs/{name}.png")
def blob_png(request: HttpRequest, name: str) -> FileResponse:
    return blob(name, "png")


@router.get("/blobs/{name}.glb")
def blob_glb(request: HttpRequest, name: str) -> FileResponse:
    return blob(name, "glb")
