"""A person's own shelf: materials kept from moves, or brought as MaterialX, and used in any move."""

from __future__ import annotations

import io
import zipfile
from typing import Any

from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Form, Router, UploadedFile

from server.accounts.access import person_of
from server.moves import desk
from server.moves.api.asking import move_row, png, ready, side_within
from server.moves.api.deciding import take
from server.moves.files import next_revision
from server.moves.joined import decisions_of
from server.moves.models import Kept
from server.moves.schemas.moves import MoveOut
from server.moves.schemas.shelf import FromKept, KeepIn, KeptName, KeptOut
from server.moves.store import blob_bytes, get_blob, put_blob, store
from trasloco.errors import Refused
from trasloco.results import own_shelf
from trasloco.results.acts import need_free_name
from trasloco.results.as_bytes import Bytes
from trasloco.results.coming_in import safe_path, slug, unlike

router = Router()


def _own(request: HttpRequest) -> QuerySet[Kept]:
    return Kept.objects.filter(owner=person_of(request))


def _row(request: HttpRequest, kept_id: int) -> Kept:
    return get_object_or_404(_own(request), id=kept_id)


def _out(row: Kept) -> dict[str, Any]:
    images = sum(not path.endswith(".mtlx") for path in row.files)
    return {
        "id": row.id,
        "name": row.name,
        "images": images,
        "size": sum(map(blob_bytes, row.files.values())),
        "variant_of": row.variant_of_id
        if row.variant_of is not None and row.variant_of.gone is None
        else None,
    }


def _base(request: HttpRequest, kept_id: int | None) -> Kept | None:
    """What something is to be a variant of; of a variant, what that is one of."""
    found = None if kept_id is None else _row(request, kept_id)
    return found if found is None or found.variant_of is None else found.variant_of


def _keep(request: HttpRequest, name: str, files: dict[str, Bytes], base: Kept | None = None) -> Kept:
    """A new row; where the name is taken among its like a number is put behind it."""
    taken = set(_own(request).filter(gone=None, variant_of=base).values_list("name", flat=True))
    free = next(one for n in range(1, 10_000) if (one := name if n == 1 else f"{name}, {n}") not in taken)
    held = {path: put_blob(data) for path, data in files.items()}
    return Kept.objects.create(owner=person_of(request), name=free[:100], files=held, variant_of=base)


def _zipped(files: dict[str, Bytes], name: str) -> HttpResponse:
    """MaterialX with its images, as one archive."""
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, data in files.items():
            archive.writestr(path, data)
    response = HttpResponse(packed.getvalue(), content_type="application/zip")
    response["Content-Disposition"] = f'attachment; filename="{slug(name)}.zip"'
    return response


@router.get("/kept", response=list[KeptOut])
def kept(request: HttpRequest) -> Any:
    """What is on the shelf, by name."""
    return [_out(row) for row in _own(request).filter(gone=None).select_related("variant_of")]


@router.post("/moves/{move_id}/keep", response=KeptOut)
def keep(request: HttpRequest, move_id: int, wanted: KeepIn) -> Any:
    """Put a material of a move on the shelf as it is now, with its images; by itself, or as a variant of another."""
    name, base = wanted.name.strip(), _base(request, wanted.variant_of)
    return _out(_keep(request, name, own_shelf.kept_of(ready(move_id), wanted.material, name), base))


@router.post("/kept/bring", response=list[KeptOut])
def bring(
    request: HttpRequest,
    files: File[list[UploadedFile]],
    paths: Form[list[str]] = [],  # noqa: B006
) -> Any:
    """Materials of MaterialX documents with their images, or of a zip of them, put on the shelf."""
    if sum(file.size or 0 for file in files) > own_shelf.MOST_BYTES:
        most = own_shelf.MOST_BYTES >> 20
        raise Refused(
            f"That is more than {most} MB at once.", "the shelf", "Bring fewer materials at a time."
        )
    names = paths if len(paths) == len(files) else [file.name or "file" for file in files]
    given: dict[str, Bytes] = {}
    for name, file in zip(names, files):
        given[unlike(safe_path(name), given)] = file.read()
    return [_out(_keep(request, name, made)) for name, made in own_shelf.brought(given)]


@router.get("/moves/{move_id}/material.zip")
def material_zip(request: HttpRequest, move_id: int, material: str) -> HttpResponse:
    """A material of a move as MaterialX with its images."""
    bench = ready(move_id)
    found = bench.reference().materials.get(material)
    name = found.name if found is not None else material
    return _zipped(own_shelf.kept_of(bench, material, name), name)


@router.get("/kept/{kept_id}.zip")
def kept_zip(request: HttpRequest, kept_id: int) -> HttpResponse:
    row = _row(request, kept_id)
    return _zipped(_bytes(row), row.name)


@router.get("/kept/{kept_id}.png")
def kept_png(request: HttpRequest, kept_id: int, side: int = 76) -> HttpResponse:
    row = _row(request, kept_id)
    return png(own_shelf.kept_sample(store, _bytes(row), min(side_within(side), 256)), forever=True)


@router.put("/kept/{kept_id}", response=KeptOut)
def rename_kept(request: HttpRequest, kept_id: int, wanted: KeptName) -> Any:
    """Another name, and what it is a variant of. Its own variants become those of that one."""
    row, base = _row(request, kept_id), _base(request, wanted.variant_of)
    row.name, row.variant_of = wanted.name.strip(), None if base == row else base
    row.save(update_fields=["name", "variant_of"])
    if row.variant_of is not None:
        row.variants.update(variant_of=row.variant_of)
    return _out(row)


@router.delete("/kept/{kept_id}", response=KeptOut)
def take_off_shelf(request: HttpRequest, kept_id: int) -> Any:
    """Taken off the shelf; it can be put back for 30 days. Moves that use it keep it."""
    row = _row(request, kept_id)
    row.gone = timezone.now()
    row.save(update_fields=["gone"])
    return _out(row)


@router.post("/kept/{kept_id}/back", response=KeptOut)
def back_on_shelf(request: HttpRequest, kept_id: int) -> Any:
    row = _row(request, kept_id)
    row.gone = None
    row.save(update_fields=["gone"])
    return _out(row)


@router.post("/moves/{move_id}/from-kept", response=MoveOut)
def from_kept(request: HttpRequest, move_id: int, wanted: FromKept) -> Any:
    """A kept material joins the delivery and is put on a slot, or made into a new material; at once where it
    joined before.
    """
    row = _row(request, wanted.kept)
    if (wanted.slot is None) == (wanted.name is None):
        raise Refused(
            "A kept material goes on a slot, or becomes a new one.", row.name, "Choose one of both."
        )
    bench = ready(move_id)
    joining = own_shelf.joining(f"{row.name} {row.id % 10_000}", row.files)
    use: dict[str, Any] = {"paths": list(joining), "slot": wanted.slot}
    if wanted.name is not None:
        use |= {"name": wanted.name.strip(), "on": wanted.on, "faces": wanted.faces}
        need_free_name(bench.settled(), use["name"])
    if joining.items() <= bench.revision.files.items():
        return take(request, move_id, decisions_of(bench, use))
    person = person_of(request)
    move = move_row(move_id)
    settings = {"use": use | ({"by": person.pk} if person is not None else {})}
    next_revision(move, lambda held: {**held, **joining}, settings)
    return desk.move_out(move, person)


def _bytes(row: Kept) -> dict[str, Bytes]:
    return {path: get_blob(blob) for path, blob in row.files.items()}
