"""The Inventory stop."""

from __future__ import annotations

import io
import zipfile
from dataclasses import asdict
from typing import Any, Literal

from django.http import HttpRequest, HttpResponse
from ninja import Router

from server.moves import rows
from server.moves.api.asking import png, ready, side_within, written
from server.moves.schemas.inventory import (
    AgainOut,
    CollisionOut,
    FacesAsked,
    FacesDrawn,
    ImageFacts,
    InventoryOut,
    PoseMapOut,
    TexelOut,
)
from server.moves.soon import soon
from trasloco.results import looking, pictures, posing
from trasloco.results.pages import inventory as pages

router = Router()


@router.get("/moves/{move_id}/inventory", response=InventoryOut)
def inventory(request: HttpRequest, move_id: int) -> Any:
    bench = ready(move_id)
    if not bench.surveyed() and not bench.being_received():
        soon(f"survey of {move_id}", bench.findings_name.key, lambda report: ready(move_id).findings(report))
    views = bench.view_blob(), bench.received_view_blob()  # made again where there was no room for them
    return written(
        f"inventory {bench.surveyed()} {views}",
        bench,
        InventoryOut,
        lambda: rows.inventory_out(bench, *views),
    )


@router.get("/moves/{move_id}/again", response=AgainOut)
def again(request: HttpRequest, move_id: int) -> Any:
    """The survey of what is mended; a job of kind ``again`` takes it."""
    return pages.again_out(ready(move_id))


@router.post("/moves/{move_id}/faces-found", response=list[int])
def faces_found(request: HttpRequest, move_id: int, asked: FacesAsked) -> Any:
    """Faces that belong to picked ones: their plane, smooth surface, piece, slot, or a ring more or fewer."""
    return looking.faces_found(ready(move_id), asked.part, asked.faces, asked.how, asked.angle_deg)


@router.post("/moves/{move_id}/faces-drawn", response=dict[str, list[int]])
def faces_drawn(request: HttpRequest, move_id: int, asked: FacesDrawn) -> Any:
    """Faces under a rectangle or a brush that was drawn over the view, by part."""
    drawn = looking.Drawn(asked.points, asked.reach, asked.through)
    return looking.faces_drawn(
        ready(move_id), looking.eye_of(asked.matrix, asked.yfov_rad, asked.aspect), drawn, asked.parts
    )


@router.get("/moves/{move_id}/texel", response=TexelOut)
def texel(request: HttpRequest, move_id: int, image: str, u: float, v: float) -> Any:
    """The colour of an image at a place, 0 to 1 from its upper left corner."""
    return asdict(looking.texel_seen(ready(move_id), image, u, v))


@router.get("/moves/{move_id}/alone.png")
def alone_png(
    request: HttpRequest, move_id: int, name: str, arrival: bool = False, view: str = ""
) -> HttpResponse:
    """One input alone on the model, on either side."""
    return png(pictures.alone_png(ready(move_id), name, arrival, view, 640, 480))


@router.get("/moves/{move_id}/pose-map", response=PoseMapOut)
def pose_map(request: HttpRequest, move_id: int, model: str) -> Any:
    """Which joint of the rig is which of another model, as far as it can be told."""
    return posing.pose_map(ready(move_id), model)


@router.get("/moves/{move_id}/collision", response=list[CollisionOut])
def collision(request: HttpRequest, move_id: int, part: str) -> Any:
    """What each shape that could stand for a part would cost."""
    return looking.collision_seen(ready(move_id), part)


@router.get("/moves/{move_id}/input.png")
def input_png(request: HttpRequest, move_id: int, material: str, name: str, side: int = 512) -> HttpResponse:
    return png(pictures.input_png(ready(move_id), material, name, side_within(side)))


@router.get("/moves/{move_id}/image.png")
def image_png(
    request: HttpRequest,
    move_id: int,
    image: str,
    side: int = 128,
    channel: Literal["rgb", "r", "g", "b", "a"] = "rgb",
) -> HttpResponse:
    return png(pictures.image_png(ready(move_id), image, side_within(side), channel))


@router.get("/moves/{move_id}/image", response=ImageFacts)
def image_facts(request: HttpRequest, move_id: int, image: str) -> Any:
    return pages.image_out(ready(move_id), image)


@router.get("/moves/{move_id}/media.zip")
def media_zip(request: HttpRequest, move_id: int) -> HttpResponse:
    """All images of the delivery as files, embedded ones too."""
    media = looking.media_of(ready(move_id))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, data in media.items():
            archive.writestr(f"media/{name}", data)
    response = HttpResponse(out.getvalue(), content_type="application/zip")
    response["Content-Disposition"] = 'attachment; filename="media.zip"'
    return response
