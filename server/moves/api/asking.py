"""What every stop asks with: a move that is ready, pictures, bytes."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Any

from django.http import FileResponse, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Schema, UploadedFile
from ninja.errors import HttpError

from server.moves.bench import Bench
from server.moves.models import Move
from server.moves.store import blob_path, result_path, store
from trasloco.errors import Refused
from trasloco.results import outside
from trasloco.results.coming_in import legible
from trasloco.results.name import named

_TYPES = {
    "png": "image/png",
    "glb": "model/gltf-binary",
    "html": "text/html; charset=utf-8",
    "zip": "application/zip",
}
_FOREVER = "private, max-age=31536000, immutable"


def move_row(move_id: int) -> Move:
    return get_object_or_404(Move, id=move_id, deleted=None)


def ready(move_id: int) -> Bench:
    """The bench of a move that was read. Raises Refused while it is being read or when it could not be."""
    bench = Bench(move_row(move_id))
    if bench.revision.refusal:
        raise Refused(**bench.revision.refusal)
    if not bench.is_read():
        raise Refused("The delivery is still being read.", bench.move.name, "Wait for it to finish.")
    return bench


def written(name: str, bench: Bench, schema: type[Schema], make: Callable[[], Any]) -> HttpResponse:
    """A large answer, checked and written once for each state of the move."""
    key = named(
        name,
        ("trasloco.move",),
        bench.received_name,
        bench.source,
        bench.destination,
        bench.decisions,
        bench.has_light(),
    ).key
    data: bytes = store.get_or_make(
        key, lambda: schema.model_validate(make()).model_dump_json().encode(), keep=False
    )
    return HttpResponse(data, content_type="application/json")


def one_picture(files: Sequence[UploadedFile]) -> tuple[bytes, str]:
    """The bytes and the name of the one picture that was given. Raises Refused: not one, or too large."""
    if len(files) != 1:
        raise Refused("One picture is given at a time.", f"{len(files)} files", "Give one picture.")
    (file,) = files
    if (file.size or 0) > outside.MOST_BYTES:
        raise Refused(
            f"The picture is larger than {outside.MOST_BYTES >> 20} MB.", "the picture", "Give a smaller one."
        )
    return file.read(), legible(file.name or "picture")[:120]


def png(data: bytes, forever: bool = False) -> HttpResponse:
    response = HttpResponse(data, content_type="image/png")
    response["Cache-Control"] = _FOREVER if forever else "private, max-age=60"
    return response


def side_within(side: int) -> int:
    return min(max(side, 8), 2048)


def blob(name: str, kind: str, download: str = "") -> FileResponse:
    kept = (blob_path(name), result_path(name)) if re.fullmatch(r"[0-9a-f]{64}", name) else ()
    path = next((one for one in kept if one.is_file()), None)
    if path is None:
        raise HttpError(404, "There is no such file.")
    response = FileResponse(
        path.open("rb"), content_type=_TYPES[kind], as_attachment=bool(download), filename=download
    )
    response["Cache-Control"] = _FOREVER
    if kind == "html":
        response["Content-Security-Policy"] = (
            "default-src 'none'; img-src data:; style-src 'unsafe-inline'; frame-ancestors 'self'"
        )
        response["X-Frame-Options"] = "SAMEORIGIN"  # our own page shows it in a frame, nobody else's
    return response
