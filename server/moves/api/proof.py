"""The Proof stop."""

from __future__ import annotations

import io
import re
import zipfile
from typing import Any

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Router

from server.accounts.access import person_of
from server.moves import desk, rows
from server.moves.api.asking import ready
from server.moves.deciding import keep_decisions
from server.moves.models import ProofRow
from server.moves.schemas.moves import MoveOut
from server.moves.schemas.proof import PixelOut, ProofChange, ProofsOut, TakeDeeds
from server.moves.store import get_blob
from trasloco.errors import Refused
from trasloco.results import worth
from trasloco.results.coming_in import legible, slug

router = Router()


@router.get("/moves/{move_id}/proofs", response=ProofsOut)
def proofs(request: HttpRequest, move_id: int) -> Any:
    return rows.proofs_out(ready(move_id))


@router.patch("/proofs/{proof_id}", response={204: None})
def name_proof(request: HttpRequest, proof_id: int, change: ProofChange) -> Any:
    row = get_object_or_404(ProofRow, id=proof_id)
    row.name = legible(change.name)[:200]
    row.save(update_fields=["name"])
    return 204, None


@router.post("/proofs/{proof_id}/take", response=MoveOut)
def take_deeds(request: HttpRequest, proof_id: int, wanted: TakeDeeds) -> Any:
    """Do some of what a proof says is worth doing, as one act; what it is to bring is written down."""
    row = get_object_or_404(ProofRow, id=proof_id)
    person, bench = person_of(request), ready(row.move_id)
    held = row.figures.get("worth") or {}
    decisions, taken = worth.taken_of(held, wanted.ids)
    if not decisions or row.plan != bench.landed_name.inputs:
        remedy = "Prove again, then ask again."
        raise Refused("This was measured for what was delivered then.", f"proof {row.number}", remedy)
    with transaction.atomic():
        keep_decisions(bench, decisions, person)
        taken["plan"] = ready(row.move_id).landed_name.inputs
        row.figures = {**row.figures, "worth": {**held, "taken": taken}}
        row.save(update_fields=["figures"])
    return desk.move_out(row.move, person)


@router.get("/proofs/{proof_id}/pixel", response=PixelOut)
def proof_pixel(request: HttpRequest, proof_id: int, view: str, x: int, y: int) -> Any:
    """One pixel of a kept proof on both sides."""
    return rows.pixel_out(get_object_or_404(ProofRow, id=proof_id), view, x, y)


@router.get("/proofs/{proof_id}/picture")
def proof_picture(request: HttpRequest, proof_id: int, view: str, side: str) -> HttpResponse:
    """A picture of a kept proof as a file: PNG as it is seen, or EXR with radiance in nit."""
    row = get_object_or_404(ProofRow, id=proof_id)
    held = row.pictures.get(view, {})
    if side not in held:
        raise Refused(
            "There is no such picture.",
            f"proof {row.number}, {view}, {side}",
            "Choose one of the proof's pictures.",
        )
    kind = "exr" if side.endswith("_exr") else "png"
    name = re.sub(r"[^A-Za-z0-9._-]+", "-", f"proof-{row.number}-{view}-{side.removesuffix('_exr')}.{kind}")
    return HttpResponse(
        get_blob(held[side]),
        content_type=f"image/{'x-exr' if kind == 'exr' else 'png'}",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )


@router.get("/moves/{move_id}/sequence.zip")
def sequence_zip(request: HttpRequest, move_id: int) -> HttpResponse:
    """The frames of the last sequence as numbered PNG, with their figures as a table."""
    told = rows.sequence_out(ready(move_id))
    if told is None:
        raise Refused("No clip of this move was proved as a sequence yet.", "Proof", "Ask for it first.")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        lines = ["frame,seconds,subject,low,high"]
        for frame in told["frames"]:
            for side, blob in frame["pictures"].items():
                archive.writestr(f"{side}-{frame['number']:04d}.png", get_blob(blob))
            lines.append(
                f"{frame['number']},{frame['time_s']:.4f},{frame['subject']['value']:.3f},{frame['subject']['low']:.3f},{frame['subject']['high']:.3f}"
            )
        archive.writestr("differences.csv", "\n".join(lines) + "\n")
    return HttpResponse(
        out.getvalue(),
        content_type="application/zip",
        headers={"Content-Disposition": f'attachment; filename="{slug(told["clip_name"])}-frames.zip"'},
    )
