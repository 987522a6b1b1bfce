"""The Light stop."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router

from server.moves.api.asking import png, ready
from server.moves.api.deciding import take
from server.moves.schemas.light import ExposureOut, LightBy, LightmapsOut, LightStopOut, MixOut
from server.moves.schemas.moves import MoveOut
from trasloco.results.lightings import lighting_by, lighting_png
from trasloco.results.pages import light as light_page
from trasloco.results.pages import lightmaps, mixing

router = Router()


@router.get("/moves/{move_id}/light", response=LightStopOut)
def light(request: HttpRequest, move_id: int) -> Any:
    return light_page.light_out(ready(move_id))


@router.get("/moves/{move_id}/light.png")
def light_png(request: HttpRequest, move_id: int, view: str = "", trying: str = "") -> HttpResponse:
    """A quick picture of a view in the light as it is now, or in one that is tried."""
    return HttpResponse(light_page.quick_png(ready(move_id), view, trying), content_type="image/png")


@router.post("/moves/{move_id}/light-by", response=MoveOut)
def light_by(request: HttpRequest, move_id: int, wanted: LightBy) -> Any:
    """One of the pictures, skies and rooms lights the scene."""
    return take(request, move_id, lighting_by(ready(move_id), wanted.key))


@router.get("/moves/{move_id}/lighting.png")
def lighting(request: HttpRequest, move_id: int, key: str) -> HttpResponse:
    """A small picture of what surrounds the scene in one of the lights that may be chosen."""
    return png(lighting_png(ready(move_id), key), forever=True)


@router.get("/moves/{move_id}/exposure", response=ExposureOut)
def exposure(request: HttpRequest, move_id: int, f_stop: float, shutter_s: float, iso: float) -> Any:
    """EV100 of a camera's settings."""
    return {"ev100": light_page.ev100_at(f_stop, shutter_s, iso)}


@router.get("/moves/{move_id}/mix", response=MixOut)
def mix(request: HttpRequest, move_id: int) -> Any:
    """The layers that were rendered last, for mixing."""
    return mixing.mix_out(ready(move_id))


@router.get("/moves/{move_id}/mix.bin")
def mix_layers(request: HttpRequest, move_id: int) -> HttpResponse:
    """Radiance of all layers one after another, 32-bit floats, lowest byte first."""
    return HttpResponse(mixing.layers_bytes(ready(move_id)), content_type="application/octet-stream")


@router.get("/moves/{move_id}/lightmaps", response=LightmapsOut)
def lightmaps_of(request: HttpRequest, move_id: int) -> Any:
    """What is asked of lightmaps, what was baked, and what is wrong with it."""
    return lightmaps.lightmaps_out(ready(move_id))


@router.get("/moves/{move_id}/lightmap.png")
def lightmap_png(request: HttpRequest, move_id: int, number: int = 0, lens: str = "light") -> HttpResponse:
    return HttpResponse(lightmaps.lens_png(ready(move_id), number, lens), content_type="image/png")


@router.get("/moves/{move_id}/lightmaps.glb")
def lightmaps_glb(request: HttpRequest, move_id: int) -> HttpResponse:
    return HttpResponse(lightmaps.view_glb(ready(move_id)), content_type="model/gltf-binary")
