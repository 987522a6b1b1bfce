"""Files of a move as they come in: checked, kept, and made a part of its next revision."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db import transaction
from ninja import UploadedFile

from server.moves import incoming, jobs
from server.moves.bench import Bench
from server.moves.models import Move, Revision
from trasloco.errors import Refused
from trasloco.results.coming_in import MOST_UPLOAD_BYTES, safe_path, unlike


def keep_files(files: list[UploadedFile], paths: list[str]) -> dict[str, str]:
    """Check limits and names, then keep the bytes. Raises Refused."""
    if sum(file.size or 0 for file in files) > MOST_UPLOAD_BYTES:
        raise Refused(
            f"The delivery is larger than {MOST_UPLOAD_BYTES >> 20} MB.",
            "the delivery",
            "Split it, or raise the limit in the settings.",
        )
    names = paths if len(paths) == len(files) else [file.name or "file" for file in files]
    kept: dict[str, str] = {}
    for path, file in zip(names, files):
        name = unlike(safe_path(path), kept)
        kept[name] = incoming.kept(file)
    return kept


def next_revision(
    move: Move, change: Callable[[dict[str, str]], dict[str, str]], settings: dict[str, Any]
) -> None:
    """Files made from those of the last revision are the next one, which is then read.

    Raises:
        Refused: nothing would be left.
    """
    with transaction.atomic():  # others may change files at the same moment
        last = Bench(move).revision
        files = change(dict(last.files))
        if not files:
            raise Refused(
                "Nothing would be left of the delivery.",
                move.name,
                "Keep a file, or take the move off the desk.",
            )
        Revision.objects.create(move=move, number=last.number + 1, files=files)
        jobs.start(move, "receive", settings)
