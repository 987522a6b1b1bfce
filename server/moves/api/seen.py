"""What went wrong over there: pictures of an import, and what they say."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import File, Form, Router, UploadedFile

from server.moves import desk, jobs
from server.moves.api.asking import move_row, one_picture, ready
from server.moves.models import Seen
from server.moves.schemas.moves import JobOut
from server.moves.schemas.seen import SeenOut
from server.moves.store import put_blob
from trasloco.results import outside

router = Router()


def _out(row: Seen, plan: str) -> dict[str, Any]:
    told = dict(row.told or {})
    explanations = [
        {**one, "picture": row.pictures.get(str(k), "")} for k, one in enumerate(told.pop("explanations", []))
    ]
    return {
        **told,
        "id": row.id,
        "name": row.name,
        "view": row.view,
        "created": row.created.isoformat(),
        "current": row.plan == plan,
        "ready": row.told is not None,
        "seen": row.pictures.get("seen", ""),
        "meant": row.pictures.get("meant", ""),
        "explanations": explanations,
    }


@router.get("/moves/{move_id}/seen", response=list[SeenOut])
def seen(request: HttpRequest, move_id: int) -> Any:
    """Pictures of imports, the newest first."""
    plan = ready(move_id).landed_name.key
    return [_out(row, plan) for row in move_row(move_id).seen.all()]


@router.post("/moves/{move_id}/seen", response=JobOut)
def add_seen(request: HttpRequest, move_id: int, files: File[list[UploadedFile]], view: Form[str]) -> Any:
    """A picture of the import in the program at the destination, taken from about a view; it is explained by
    a job.
    """
    bench = ready(move_id)
    data, name = one_picture(files)
    outside.picture_in(data, name)  # what is no picture is refused at once
    row = Seen.objects.create(move=bench.move, name=name, view=view[:200], picture=put_blob(data))
    return desk.job_out(jobs.start(bench.move, "explain", {"seen": row.id}))


@router.delete("/moves/{move_id}/seen/{seen_id}", response={204: None})
def remove_seen(request: HttpRequest, move_id: int, seen_id: int) -> Any:
    get_object_or_404(Seen, id=seen_id, move=move_row(move_id)).delete()
    return 204, None
