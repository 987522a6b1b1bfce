"""Sheets: shown, compared, changed, carried in and out."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router

from server.moves import sheets as sheet_shelf
from server.moves.schemas.sheets import (
    DifferenceOut,
    InputSpecOut,
    SheetChange,
    SheetCopy,
    SheetOut,
    SheetText,
)
from server.moves.sheets import sheet_of
from trasloco.results.coming_in import slug
from trasloco.sheets.text import sheet_toml

router = Router()


@router.get("/sheets", response=list[SheetOut])
def sheets(request: HttpRequest) -> Any:
    return [sheet_shelf.sheet_out(sheet) for sheet in sheet_shelf.all_sheets().values()]


@router.get("/sheet-inputs", response=list[InputSpecOut])
def sheet_inputs(request: HttpRequest) -> Any:
    return sheet_shelf.inputs_out()


@router.get("/sheets/compare", response=list[DifferenceOut])
def compare_sheets(request: HttpRequest, first: str, second: str) -> Any:
    return sheet_shelf.comparison_out(sheet_of(first), sheet_of(second))


@router.post("/sheets/import", response=SheetOut)
def import_sheet(request: HttpRequest, wanted: SheetText) -> Any:
    return sheet_shelf.sheet_out(sheet_shelf.imported(wanted.text))


@router.get("/sheets/{name}.toml")
def export_sheet(request: HttpRequest, name: str) -> HttpResponse:
    sheet = sheet_of(name)
    response = HttpResponse(sheet_toml(sheet), content_type="application/toml; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{slug(sheet.name)}.toml"'
    return response


@router.post("/sheets/{name}/copy", response=SheetOut)
def copy_sheet(request: HttpRequest, name: str, wanted: SheetCopy) -> Any:
    return sheet_shelf.sheet_out(sheet_shelf.copied(name, wanted.name))


@router.patch("/sheets/{name}", response=SheetOut)
def change_sheet(request: HttpRequest, name: str, wanted: SheetChange) -> Any:
    return sheet_shelf.sheet_out(sheet_shelf.change(name, wanted.lines))


@router.post("/sheets/{name}/undo", response=SheetOut)
def undo_sheet(request: HttpRequest, name: str) -> Any:
    return sheet_shelf.sheet_out(sheet_shelf.step(name, -1))


@router.post("/sheets/{name}/redo", response=SheetOut)
def redo_sheet(request: HttpRequest, name: str) -> Any:
    return sheet_shelf.sheet_out(sheet_shelf.step(name, 1))


@router.delete("/sheets/{name}", response={204: None})
def delete_sheet(request: HttpRequest, name: str) -> Any:
    sheet_shelf.remove(name)
    return 204, None
