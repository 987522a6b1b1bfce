"""The Handover stop."""

from __future__ import annotations

import re
from typing import Any

from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router

from server.moves import rows
from server.moves.api.asking import blob, png, ready
from server.moves.models import Handover
from server.moves.schemas.handover import AccountsOut, HandoverOut
from trasloco.errors import Refused
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


@router.get("/handovers/{handover_id}/report")
def handover_report(request: HttpRequest, handover_id: int) -> FileResponse:
    return blob(get_object_or_404(Handover, id=handover_id).report, "html")
