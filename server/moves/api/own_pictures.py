"""One's own pictures beside the proof: given, their cameras found, held against both sides."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import File, Form, Router, UploadedFile

from server.moves import desk, jobs, rows
from server.moves.api.asking import move_row, one_picture, ready
from server.moves.bench import Bench
from server.moves.models import OwnPicture
from server.moves.schemas.moves import JobOut
from server.moves.schemas.own_pictures import (
    MatchIn,
    NumbersIn,
    OwnPictureIn,
    OwnPictureOut,
    OwnPicturesOut,
    OwnPixelOut,
)
from server.moves.store import put_blob
from trasloco.results import material_matching, own_pictures

router = Router()


def _row(move_id: int, picture_id: int) -> OwnPicture:
    return get_object_or_404(OwnPicture, id=picture_id, move=move_row(move_id))


def _out(row: OwnPicture, bench: Bench) -> dict[str, Any]:
    matched = row.matched and {**row.matched, "current": row.matched["plan"] == bench.reference_name.key}
    return {
        "id": row.id,
        "name": row.name,
        "created": row.created.isoformat(),
        "of": row.of,
        "view": row.view,
        "curve": row.curve,
        "width": row.width,
        "height": row.height,
        "shown": row.shown,
        "pairs": row.pairs,
        "camera": row.camera,
        "stands": row.stands,
        "current": row.plan == bench.landed_name.key,
        "held": row.told,
        "pictures": row.pictures,
        "over_time": row.over_time,
        "matched": matched,
        "numbers": [
            {**told, "current": told["plan"] == bench.reference_name.key} for told in row.numbers.values()
        ],
    }


@router.get("/moves/{move_id}/own-pictures", response=OwnPicturesOut)
def all_pictures(request: HttpRequest, move_id: int) -> Any:
    """One's own pictures, the newest first."""
    bench = ready(move_id)
    found = [_out(row, bench) for row in bench.move.own_pictures.all()]
    return {
        "pictures": found,
        "curves": own_pictures.curves(),
        "least_points": own_pictures.LEAST_POINTS,
        "inputs": [{"name": name, "label": label} for name, label in material_matching.NAMES.items()],
    }


@router.post("/moves/{move_id}/own-pictures", response=OwnPictureOut)
def give(request: HttpRequest, move_id: int, files: File[list[UploadedFile]], view: Form[str] = "") -> Any:
    """A picture of the scene from another program, or a render of one's own; taken from about a view."""
    bench = ready(move_id)
    data, name = one_picture(files)
    shown = own_pictures.given(data, name)
    row = OwnPicture.objects.create(
        move=bench.move,
        name=name,
        picture=put_blob(data),
        shown=put_blob(shown.png),
        width=shown.width,
        height=shown.height,
        view=view[:200],
    )
    return _out(row, bench)


@router.patch("/moves/{move_id}/own-pictures/{picture_id}", response=OwnPictureOut)
def say(request: HttpRequest, move_id: int, picture_id: int, said: OwnPictureIn) -> Any:
    """Say which side it shows, from about which view, by which curve, and which places are seen where: those
    that are enough find its camera, or are refused and nothing is changed.
    """
    bench, row = ready(move_id), _row(move_id, picture_id)
    if said.pairs is not None:
        row.pairs = [pair.model_dump() for pair in said.pairs]
        row.camera = own_pictures.camera_of_points(row.pairs, row.width, row.height) if row.pairs else None
    for field in ("of", "view", "curve"):
        value = getattr(said, field)
        if value is not None:
            setattr(row, field, value)
    row.save(update_fields=["pairs", "camera", "of", "view", "curve"])
    return _out(row, bench)


@router.post("/moves/{move_id}/own-pictures/{picture_id}/hold", response=JobOut)
def hold(request: HttpRequest, move_id: int, picture_id: int) -> Any:
    """Hold it against both sides as they are now, by a job."""
    bench, row = ready(move_id), _row(move_id, picture_id)
    return desk.job_out(jobs.start(bench.move, "hold", {"picture": row.id}))


@router.post("/moves/{move_id}/own-pictures/{picture_id}/light", response=JobOut)
def match_light(request: HttpRequest, move_id: int, picture_id: int, wanted: MatchIn) -> Any:
    """Match the light of the move to a picture that was held, by a job; nothing is decided by it."""
    bench, row = ready(move_id), _row(move_id, picture_id)
    return desk.job_out(jobs.start(bench.move, "match light", {"picture": row.id, **wanted.model_dump()}))


@router.post("/moves/{move_id}/own-pictures/{picture_id}/material", response=JobOut)
def match_material(request: HttpRequest, move_id: int, picture_id: int, wanted: NumbersIn) -> Any:
    """Find numbers of a material from a picture that was held, by a job; nothing is decided by it."""
    bench, row = ready(move_id), _row(move_id, picture_id)
    return desk.job_out(jobs.start(bench.move, "match material", {"picture": row.id, **wanted.model_dump()}))


@router.get("/moves/{move_id}/own-pictures/{picture_id}/pixel", response=OwnPixelOut)
def pixel(request: HttpRequest, move_id: int, picture_id: int, x: int, y: int) -> Any:
    """One pixel of a picture that was held, and of both sides."""
    return rows.own_pixel_out(_row(move_id, picture_id), x, y)


@router.delete("/moves/{move_id}/own-pictures/{picture_id}", response={204: None})
def remove(request: HttpRequest, move_id: int, picture_id: int) -> Any:
    _row(move_id, picture_id).delete()
    return 204, None
