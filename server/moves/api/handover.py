"""The Handover stop."""

from __future__ import annotations

import re
from dataclasses import asdict
from typing import Any

from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Form, Router, UploadedFile

from server.accounts.access import person_of
from server.moves import desk, jobs, rows
from server.moves.api.asking import blob, png, ready
from server.moves.api.deciding import take
from server.moves.comparing import changes_between, changes_of_revision
from server.moves.files import keep_files, next_revision
from server.moves.models import Handover, Revision
from server.moves.schemas.handover import (
    AccountsOut,
    CameBackOut,
    ChangesOut,
    HandBack,
    HandedBack,
    HandoverOut,
    PackingListOut,
    RowsIn,
)
from server.moves.schemas.moves import JobOut, MoveOut
from server.moves.store import get_blob
from trasloco.errors import Refused
from trasloco.results.delivering import list_in
from trasloco.results.listing import listing
from trasloco.results.pages import handover as pages

router = Router()


@router.get("/moves/{move_id}/accounts", response=AccountsOut)
def accounts(request: HttpRequest, move_id: int) -> Any:
    """The books of the package as it stands, where they were taken; a job of kind ``account`` takes them."""
    return pages.accounts_out(ready(move_id))


@router.get("/moves/{move_id}/handovers", response=list[HandoverOut])
def handovers(request: HttpRequest, move_id: int) -> Any:
    bench = ready(move_id)
    return [rows.handover_out(row, bench.landed_name.inputs) for row in bench.move.handovers.all()]


@router.get("/handovers/{handover_id}/package.zip")
def handover_zip(request: HttpRequest, handover_id: int) -> FileResponse:
    row = get_object_or_404(Handover, id=handover_id)
    stem = re.sub(r"[^A-Za-z0-9]+", "-", row.move.name).strip("-").lower() or "package"
    return blob(row.archive, "zip", f"{stem}-{row.destination.lower()}-{row.number}.zip")


@router.get("/handovers/{handover_id}/picture.png")
def handover_picture(request: HttpRequest, handover_id: int, path: str, side: int = 168) -> HttpResponse:
    """A small picture of a delivered image."""
    row = get_object_or_404(Handover, id=handover_id)
    if path not in row.files:
        raise Refused("There is no such file in this handover.", path, "Reload the page.")
    return png(rows.delivered_png(path, row.files[path]["blob"], min(max(side, 16), 512)))


@router.get("/handovers/{handover_id}/changes", response=ChangesOut)
def handover_changes(request: HttpRequest, handover_id: int, since: int | None = None) -> Any:
    """What is different since another handover of the move, by its number: the one before where none is
    named.
    """
    row = get_object_or_404(Handover, id=handover_id)
    others = row.move.handovers.exclude(id=row.id)
    before = others.filter(number=since) if since is not None else others.filter(number__lt=row.number)
    other = before.first()
    if other is None:
        raise Refused("There is no other handover to compare it with.", row.move.name, "Deliver again first.")
    return changes_between(other, row)


@router.get("/moves/{move_id}/revisions/{number}/changes", response=ChangesOut)
def revision_changes(request: HttpRequest, move_id: int, number: int) -> Any:
    """What is different since the revision before."""
    return changes_of_revision(get_object_or_404(Revision, move=ready(move_id).move, number=number))


@router.get("/moves/{move_id}/revisions/{number}/picture.png")
def revision_picture(
    request: HttpRequest, move_id: int, number: int, path: str, side: int = 168
) -> HttpResponse:
    """A small picture of an image file of a revision."""
    row = get_object_or_404(Revision, move=ready(move_id).move, number=number)
    if path not in row.files:
        raise Refused("There is no such file in this revision.", path[:200], "Reload the page.")
    return png(rows.delivered_png(path, row.files[path], min(max(side, 16), 512)))


@router.get("/moves/{move_id}/came-back", response=CameBackOut | None)
def came_back(request: HttpRequest, move_id: int) -> Any:
    """What the package said that came back last; nothing where none did."""
    bench = ready(move_id)
    job = bench.move.jobs.filter(kind="way back", state="done").order_by("-id").first()
    row = bench.move.handovers.filter(id=job.settings.get("handover", 0)).first() if job else None
    if job is None or row is None:
        return None
    return {
        "number": row.number,
        "created": job.created.isoformat(),
        "current": row.plan == bench.landed_name.inputs,
        "came": job.result.get("came", []),
    }


@router.post("/moves/{move_id}/came-back", response=JobOut)
def take_back(
    request: HttpRequest,
    move_id: int,
    files: File[list[UploadedFile]],
    paths: Form[list[str]] = [],  # noqa: B006
) -> Any:
    """A package that was changed at its destination, or some of its files: a job tells what is different from
    the last handover.
    """
    bench = ready(move_id)
    row = bench.move.handovers.order_by("-number").first()
    if row is None:
        raise Refused("Nothing was delivered yet.", bench.move.name, "Deliver first.")
    kept = keep_files(files, paths)
    return desk.job_out(jobs.start(bench.move, "way back", {"handover": row.id, "files": kept}))


@router.post("/moves/{move_id}/came-back/images", response=MoveOut)
def take_images(request: HttpRequest, move_id: int, wanted: RowsIn) -> Any:
    """Images that were painted over join the delivery as the source would have them, and are read where they
    were read there once they are received.
    """
    move = ready(move_id).move
    job = move.jobs.filter(kind="way back", state="done").order_by("-id").first()
    rows = dict(enumerate(job.result.get("came", []))) if job is not None else {}
    images = [rows[n]["image"] for n in wanted.rows if n in rows and rows[n].get("image")]
    if job is None or not images:
        raise Refused("None of these is an image that came back.", move.name, "Reload the page.")
    kept = job.result["images"]
    person = person_of(request)
    by = {"by": person.pk} if person is not None else {}
    files = {one["path"]: kept[one["path"]] for one in images}
    next_revision(move, lambda held: {**held, **files}, {"use": {"images": images, **by}})
    return desk.move_out(move, person)


@router.get("/handovers/{handover_id}/report")
def handover_report(request: HttpRequest, handover_id: int) -> FileResponse:
    return blob(get_object_or_404(Handover, id=handover_id).report, "html")


@router.get("/moves/{move_id}/packing-list", response=PackingListOut)
def packing_list(request: HttpRequest, move_id: int) -> Any:
    """The packing list as it stands, to be read and changed."""
    bench = ready(move_id)
    things = [{"kind": e.kind, "id": e.id, "name": e.name, "says": e.says} for e in listing.entries_of(bench)]
    return {"text": listing.list_text(bench), "things": things}


@router.post("/moves/{move_id}/packing-list", response=HandedBack)
def hand_back(request: HttpRequest, move_id: int, wanted: HandBack) -> Any:
    """A changed packing list: against the delivery that it lay beside, or against the move as it stands."""
    bench = ready(move_id)
    number = listing.number_in(wanted.text)
    row = bench.move.handovers.filter(number=number).first() if number is not None else None
    before = list_in(get_blob(row.archive)) if row is not None else None
    found = listing.changes_of(bench, wanted.text, before)
    answer: dict[str, Any] = {"words": found.words, "misread": [asdict(one) for one in found.misread]}
    if found.decisions and not wanted.try_only:
        answer["move"] = take(request, move_id, found.decisions)
    return answer
