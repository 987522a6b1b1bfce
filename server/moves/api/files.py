"""Files of a move: listed with the revision they came with, added, replaced, removed, and earlier revisions
brought back. Each change is a revision; nothing is lost.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import File, Form, Router, UploadedFile

from server.accounts.access import person_of
from server.moves import desk
from server.moves.api.asking import move_row, ready
from server.moves.comparing import next_states_of
from server.moves.files import keep_files, next_revision
from server.moves.models import Revision
from server.moves.schemas.files import FilesOut, PathsIn, ReplaceIn
from server.moves.schemas.moves import MoveOut
from server.moves.store import blob_bytes
from trasloco.errors import Refused

router = Router()


@router.get("/moves/{move_id}/files", response=FilesOut)
def files_of(request: HttpRequest, move_id: int) -> Any:
    """What was received, with the revision each file came with as it is, and all revisions."""
    revisions = list(move_row(move_id).revisions.order_by("number"))
    last = revisions[-1]
    since: dict[str, int] = {}
    for before, revision in pairwise([None, *revisions]):
        assert revision is not None
        earlier = before.files if before is not None else {}
        since |= {path: revision.number for path, blob in revision.files.items() if earlier.get(path) != blob}
    places = {one.path: one for one in next_states_of(last)}
    return {
        "files": [
            {
                "path": path,
                "size": blob_bytes(blob),
                "revision": since[path],
                "place_of": told.place_of if (told := places.get(path)) else None,
                "why": told.why if told else "",
            }
            for path, blob in sorted(last.files.items())
        ],
        "revisions": [
            {"number": one.number, "created": one.created.isoformat(), "files": len(one.files)}
            for one in reversed(revisions)
        ],
    }


@router.post("/moves/{move_id}/files", response=MoveOut)
def add_files(
    request: HttpRequest,
    move_id: int,
    files: File[list[UploadedFile]],
    paths: Form[list[str]] = [],  # noqa: B006
) -> Any:
    """More files for the delivery: missing images dropped in later. They become part of the next revision."""
    return _joined(request, move_id, files, paths, lambda _: {})


def _joined(
    request: HttpRequest,
    move_id: int,
    files: list[UploadedFile],
    paths: list[str],
    settings: Callable[[str], dict[str, Any]],
) -> Any:
    """Files as a part of the next revision; the job's settings know the first one's path."""
    move = move_row(move_id)
    kept = keep_files(files, paths)
    next_revision(move, lambda held: {**held, **kept}, settings(next(iter(kept), "")))
    return desk.move_out(move, person_of(request))


@router.post("/moves/{move_id}/use-file", response=MoveOut)
def use_file(
    request: HttpRequest,
    move_id: int,
    target: Form[str],
    files: File[list[UploadedFile]],
    paths: Form[list[str]] = [],  # noqa: B006
) -> Any:
    """An image file that an input is to read: it joins the delivery, and is read there once it is received."""
    ready(move_id)
    if len(files) != 1:
        raise Refused(
            "Several files were dropped on one input.",
            target,
            "Drop one image here, or all of them on Inventory.",
        )
    person = person_of(request)
    by = {"by": person.pk} if person is not None else {}
    return _joined(
        request, move_id, files, paths, lambda path: {"use": {"target": target, "path": path, **by}}
    )


@router.post("/moves/{move_id}/files/replace", response=MoveOut)
def replace_file(request: HttpRequest, move_id: int, path: Form[str], files: File[list[UploadedFile]]) -> Any:
    """Another file in the place of one, under its path; what read that one reads this one."""
    move = move_row(move_id)
    if len(files) != 1:
        raise Refused("One file takes the place of one.", path, "Choose one file.")
    (blob,) = keep_files(files, []).values()

    def change(held: dict[str, str]) -> dict[str, str]:
        _there(held, path)
        return {**held, path: blob}

    next_revision(move, change, {})
    return desk.move_out(move, person_of(request))


@router.post("/moves/{move_id}/files/take-place", response=MoveOut)
def take_place(request: HttpRequest, move_id: int, wanted: ReplaceIn) -> Any:
    """A file that joined under another name takes the place of an earlier one: that one's path keeps what is
    decided about it.
    """
    move = move_row(move_id)

    def change(held: dict[str, str]) -> dict[str, str]:
        _there(held, wanted.path)
        _there(held, wanted.place_of)
        fresh = held.pop(wanted.path)
        return {**held, wanted.place_of: fresh}

    next_revision(move, change, {})
    return desk.move_out(move, person_of(request))


@router.post("/moves/{move_id}/files/remove", response=MoveOut)
def remove_files(request: HttpRequest, move_id: int, wanted: PathsIn) -> Any:
    """Files left out of the next revision."""
    move = move_row(move_id)

    def change(held: dict[str, str]) -> dict[str, str]:
        for path in wanted.paths:
            _there(held, path)
        return {path: blob for path, blob in held.items() if path not in wanted.paths}

    next_revision(move, change, {})
    return desk.move_out(move, person_of(request))


@router.post("/moves/{move_id}/revisions/{number}/back", response=MoveOut)
def back_to_revision(request: HttpRequest, move_id: int, number: int) -> Any:
    """The files of an earlier revision again, as the next one."""
    move = move_row(move_id)
    wanted = get_object_or_404(Revision, move=move, number=number)
    next_revision(move, lambda _: dict(wanted.files), {})
    return desk.move_out(move, person_of(request))


def _there(held: dict[str, str], path: str) -> None:
    if path not in held:
        raise Refused("There is no such file in the delivery.", path[:200], "Reload the page.")
