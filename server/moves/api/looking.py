"""Looking at a move live: a side lit, with its pictures, and a glance from any place."""

from __future__ import annotations

import base64
from dataclasses import asdict
from typing import Annotated, Any, Literal

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router, Schema
from pydantic import Field, TypeAdapter, ValidationError

from server.moves.api.asking import png, ready, side_within
from server.moves.schemas.fit import Coming
from server.moves.schemas.looking import (
    GlanceOut,
    LayoutIn,
    LayoutOut,
    LitOut,
    MovingOut,
    OpeningOut,
    WalkIn,
    WalkOut,
)
from server.moves.soon import soon
from server.moves.store import store
from trasloco.decisions.judging import KeptView
from trasloco.errors import Refused
from trasloco.progress import Progress
from trasloco.results import glance as glances
from trasloco.results import lit as sides
from trasloco.results import moving as motion
from trasloco.results import opening as openings
from trasloco.results import uv_layout, walking

router = Router()
Side = Literal["received", "mended", "arrival"]
_PLACE = TypeAdapter(KeptView)


@router.get("/moves/{move_id}/lit", response={200: LitOut, 202: Coming})
def lit(request: HttpRequest, move_id: int, side: Side = "mended") -> Any:
    """A side as it looks lit; 202 while it is being made: ask again."""
    bench = ready(move_id)
    key = sides.lit_key(bench, side)

    def make(report: Progress) -> None:
        sides.lit(ready(move_id), side, report)

    if not store.has(key) and not soon(f"{side} of {move_id}, lit", key, make):
        return 202, {"coming": True}
    view = store.blob_of(sides.view_key(bench, side), lambda: sides.view_glb(bench, side))
    return 200, {**sides.lit(bench, side), "view": view}


@router.get("/moves/{move_id}/opening", response=OpeningOut)
def opening(
    request: HttpRequest,
    move_id: int,
    side: openings.Side = "mended",
    aspect: Annotated[float, Query(ge=0.25, le=4)] = openings.ASPECT,
) -> Any:
    """Where a view of a shape stands when it is opened, with a still; ask again where that is not there yet."""
    bench = ready(move_id)
    openings.expect_aspect(store, aspect)
    key = openings.still_name(bench, side, aspect).key

    def make(report: Progress) -> None:
        openings.still(ready(move_id), side, aspect, report)

    there = store.has(key) or soon(f"still of {move_id}", key, make)
    found = openings.opening(bench, side, aspect)
    return {
        "matrix": found.view.matrix.ravel().tolist(),
        "yfov_rad": found.view.yfov_rad,
        "target": list(found.target),
        "reach_m": found.reach_m,
        "still": base64.b64encode(openings.still(bench, side, aspect)).decode() if there else None,
    }


@router.get("/moves/{move_id}/moving", response={200: MovingOut, 202: Coming})
def moving(request: HttpRequest, move_id: int, side: Side = "mended") -> Any:
    """A side in motion; 202 while it is being made: ask again."""
    bench = ready(move_id)
    key = motion.moving_key(bench, side)

    def make(report: Progress) -> None:
        motion.moving_glb(ready(move_id), side, report)

    if not store.has(key) and not soon(f"{side} of {move_id}, moving", key, make):
        return 202, {"coming": True}
    view = store.blob_of(key, lambda: motion.moving_glb(bench, side))
    return 200, {**motion.moving_out(bench, side), "view": view}


@router.post("/moves/{move_id}/uv-layout", response=LayoutOut)
def layout(request: HttpRequest, move_id: int, wanted: LayoutIn) -> Any:
    """How the UVs of a material lie; nothing is changed."""
    return uv_layout.layout_out(ready(move_id), wanted.material, wanted.parts, wanted.set)


@router.post("/moves/{move_id}/walk", response=WalkOut)
def walk(request: HttpRequest, move_id: int, wanted: WalkIn) -> Any:
    """A step inside the scene, no farther than what blocks allows; nothing is changed."""
    return asdict(walking.step(ready(move_id), wanted.eye, wanted.heading, wanted.far_m, wanted.everything))


@router.get("/moves/{move_id}/lit-tiles.png")
def lit_tiles(request: HttpRequest, move_id: int, side: Side = "mended") -> HttpResponse:
    """Small pictures of all inputs of a side, in one."""
    return png(sides.tiles_png(ready(move_id), side), forever=True)


@router.get("/moves/{move_id}/lit.png")
def lit_png(
    request: HttpRequest, move_id: int, material: str, name: str, side: Side = "mended", texels: int = 512
) -> HttpResponse:
    """One picture of an input of a side."""
    return png(sides.texture_png(ready(move_id), side, material, name, side_within(texels)), forever=True)


@router.get("/moves/{move_id}/surround.bin")
def surround(
    request: HttpRequest,
    move_id: int,
    side: Side = "mended",
    which: Literal["surround", "backdrop"] = "surround",
) -> HttpResponse:
    """What surrounds a side, 256 rows of 512 texels of four 16-bit floats."""
    return HttpResponse(
        sides.surround_bytes(ready(move_id), side, which), content_type="application/octet-stream"
    )


class Asked(Schema):
    """Where a glance is taken from: 16 numbers row by row from camera to world, with commas."""

    matrix: str = Field(max_length=800)
    yfov_rad: float
    aspect: float = Field(default=16 / 9, ge=0.25, le=4)
    step: int = Field(default=0, ge=0, lt=len(glances.STEPS))


@router.get("/moves/{move_id}/glance", response={200: GlanceOut, 202: Coming})
def glance(request: HttpRequest, move_id: int, asked: Query[Asked]) -> Any:
    """Both sides from a place, rendered; 202 while they are being made: ask again."""
    try:
        said = _PLACE.validate_python(
            {
                "name": "glance",
                "matrix": [float(v) for v in asked.matrix.split(",")],
                "yfov_rad": asked.yfov_rad,
            }
        )
    except (ValueError, ValidationError) as error:
        raise Refused(
            "That is no place to look from.", asked.matrix[:80], "Give 16 numbers with commas, and an angle."
        ) from error
    bench, view = ready(move_id), glances.view_of(said)
    key = glances.glance_name(bench, view, asked.aspect, asked.step).key

    def make(report: Progress) -> None:
        glances.glance(ready(move_id), view, asked.aspect, asked.step, report)

    if not store.has(key) and not soon(f"glance of {move_id}", key, make):
        return 202, {"coming": True}
    made = glances.glance(bench, view, asked.aspect, asked.step)
    return 200, {
        "reference": base64.b64encode(made.reference).decode(),
        "arrival": base64.b64encode(made.arrival).decode(),
        "samples": made.samples,
        "step": asked.step,
        "last": asked.step == len(glances.STEPS) - 1,
        "subject": asdict(made.figure),
        "words": made.words,
    }
