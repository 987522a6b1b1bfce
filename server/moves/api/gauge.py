"""The gauge: handed over, brought back as pictures, read, and kept as a sheet of one's own."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Router, UploadedFile

from server.moves import desk, jobs, sheets
from server.moves.api.asking import move_row, one_picture, ready
from server.moves.bench import Bench
from server.moves.models import Gauge
from server.moves.schemas.gauge import Board, GaugeOut, GaugeRod, GaugeUse
from server.moves.schemas.moves import JobOut
from server.moves.store import get_blob, put_blob
from trasloco.errors import Refused
from trasloco.results import gauging
from trasloco.results.coming_in import slug
from trasloco.sheets.text import parse_sheet, sheet_toml

router = Router()


def _row(bench: Bench) -> Gauge:
    row = Gauge.objects.filter(move=bench.move).first()
    if row is None:
        raise Refused("There is no gauge for this move yet.", bench.move.name, "Make it first.")
    return row


def _out(row: Gauge, bench: Bench) -> dict[str, Any]:
    told = row.told or {"at_all": [], "boards": []}
    given = {board: one["picture"] for board, one in row.pictures.items()}
    found = row.found or {}
    read = found.get("of", {})
    return {
        "sheet": parse_sheet(row.sheet, "the gauge").name,
        "current": row.sheet == sheet_toml(bench.sheet) or row.used == bench.destination.name,
        "at_all": told["at_all"],
        "boards": [
            {
                **one,
                "name": row.pictures.get(one["key"], {}).get("name", ""),
                "shown": row.pictures.get(one["key"], {}).get("shown", ""),
                "read": one["key"] in read and read[one["key"]] == given.get(one["key"]),
            }
            for one in told["boards"]
        ],
        "found": row.found,
        "stale": row.found is not None and (read != given or found.get("of_rod") != row.rod),
        "rod": row.rod,
        "evidence": row.evidence,
        "used": row.used,
    }


def _changed(bench: Bench, change: Callable[[dict[str, Any]], dict[str, Any]]) -> Gauge:
    """The row with other pictures; several may come at once."""
    with transaction.atomic():
        row = _row(bench)
        row.pictures = change(row.pictures)
        row.save(update_fields=["pictures"])
    return row


@router.get("/moves/{move_id}/gauge", response=GaugeOut | None)
def gauge(request: HttpRequest, move_id: int) -> Any:
    """The gauge of a move, once it was made."""
    bench = ready(move_id)
    row = Gauge.objects.filter(move=bench.move).first()
    return None if row is None else _out(row, bench)


@router.post("/moves/{move_id}/gauge", response=JobOut)
def make(request: HttpRequest, move_id: int) -> Any:
    """Write it in the layout of the move's destination, by a job."""
    return desk.job_out(jobs.start(ready(move_id).move, "gauge"))


@router.get("/moves/{move_id}/gauge.zip")
def archive(request: HttpRequest, move_id: int) -> HttpResponse:
    bench = ready(move_id)
    row = _row(bench)
    response = HttpResponse(get_blob(row.archive), content_type="application/zip")
    name = f"gauge {slug(parse_sheet(row.sheet, 'the gauge').name)}"
    response["Content-Disposition"] = f'attachment; filename="{name}.zip"'
    return response


@router.post("/moves/{move_id}/gauge/pictures", response=GaugeOut)
def give(request: HttpRequest, move_id: int, files: File[list[UploadedFile]], board: Form[Board]) -> Any:
    """A picture of a board as the program shows it."""
    bench = ready(move_id)
    _row(bench)
    data, name = one_picture(files)
    shown = gauging.shown_of(data, name)
    given = {"name": name, "picture": put_blob(data), "shown": put_blob(shown)}
    return _out(_changed(bench, lambda held: {**held, board: given}), bench)


@router.delete("/moves/{move_id}/gauge/pictures/{board}", response=GaugeOut)
def take_away(request: HttpRequest, move_id: int, board: Board) -> Any:
    bench = ready(move_id)
    return _out(_changed(bench, lambda held: {k: one for k, one in held.items() if k != board}), bench)


@router.put("/moves/{move_id}/gauge/rod", response=GaugeOut)
def rod(request: HttpRequest, move_id: int, wanted: GaugeRod) -> Any:
    """How long the program shows the rod to be; without a length it is not known any more."""
    bench = ready(move_id)
    row = _row(bench)
    row.rod = None if wanted.length is None else gauging.rod_of(wanted.length, wanted.unit)
    row.save(update_fields=["rod"])
    return _out(row, bench)


@router.post("/moves/{move_id}/gauge/read", response=JobOut)
def read(request: HttpRequest, move_id: int) -> Any:
    """Read the pictures, by a job."""
    bench = ready(move_id)
    _row(bench)
    return desk.job_out(jobs.start(bench.move, "read gauge"))


@router.post("/moves/{move_id}/gauge/use", response=GaugeOut)
def use(request: HttpRequest, move_id: int, wanted: GaugeUse) -> Any:
    """Keep what was measured as a sheet of one's own; where asked, the move takes it as its destination."""
    bench = ready(move_id)
    row = _row(bench)
    if not row.made:
        raise Refused("Nothing was read yet.", bench.move.name, "Bring pictures back, and read them.")
    made = sheets.kept_as(parse_sheet(row.made, "the gauge"), wanted.name)
    row.used = made.name
    row.save(update_fields=["used"])
    if wanted.take:
        move = move_row(move_id)
        move.destination = made.name.lower()
        move.save(update_fields=["destination"])
        bench = ready(move_id)
    return _out(row, bench)
