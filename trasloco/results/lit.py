"""A side of a move as a live view shows it lit: its geometry, materials with small pictures, lamps, and what
surrounds it. A quick look; the proof is rendered.
"""

from __future__ import annotations

import io
import math
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.progress import Progress, silent
from trasloco.proof.light_there import in_some_light, is_lit
from trasloco.proof.staging import exposure_of
from trasloco.render.exposure import auto_ev100
from trasloco.render.flat_lights import surrounding
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, framing, render, rigid
from trasloco.results.name import Name, named
from trasloco.results.pages.inventory import materials_out
from trasloco.results.pictures import bare_glb, input_picture, input_picture_key
from trasloco.results.route import Route
from trasloco.results.thumbnails import pooled
from trasloco.scene.images import encode
from trasloco.scene.lit import Backdrop, Environment
from trasloco.scene.model import Scene

Side = Literal["received", "mended", "arrival"]
TILE = 64
"""Texels a side of the first small pictures, which come all in one."""
_ACROSS = 16
SURROUND = (256, 512)
"""Rows and columns of what surrounds a live view."""
_HALF = 60_000.0
_METER = Quality(96, 54, 8, 2, preview=True)


def scene_of(route: Route, side: Side, progress: Progress = silent) -> Scene:
    """A side: as it was received but for unit and axis, as it is meant, or as it arrives from the delivered
    bytes.
    """
    if side == "arrival":
        return route.arrival(progress)
    return route.as_received() if side == "received" else route.settled()


def _lit_by(route: Route, side: Side) -> Scene:
    """What has to be lit for a side to be shown as it is: what arrives is held against what was meant."""
    return route.reference() if side == "arrival" else scene_of(route, side)


def _seen(route: Route, side: Side) -> Scene:
    """A side in its light, or in the one that stands in where nothing lights it, as in a proof."""
    return in_some_light(scene_of(route, side), _lit_by(route, side))


def name_of(route: Route, side: Side) -> Name:
    """What a side is called."""
    if side == "arrival":
        return route.arrival_name
    return route.as_received_name if side == "received" else route.settled_name


def view_key(route: Route, side: Side) -> str:
    return named("lit view", ("trasloco.results.pictures",), name_of(route, side)).key


def view_glb(route: Route, side: Side, progress: Progress = silent) -> bytes:
    """The geometry of a side, with our ids and without images."""
    made: bytes = route.store.get_or_make(
        view_key(route, side), lambda: bare_glb(scene_of(route, side, progress))
    )
    return made


def lit_key(route: Route, side: Side) -> str:
    return named(
        "lit",
        ("trasloco.results.lit",),
        name_of(route, side),
        route.reference_name,
        exposure_of(route.decisions),
    ).key


def lit(route: Route, side: Side, progress: Progress = silent) -> dict[str, Any]:
    """Materials, lamps, surroundings and exposure of a side, all but its pictures."""

    def make() -> dict[str, Any]:
        view_glb(route, side, progress)
        tiles_png(route, side)
        scene = _seen(route, side)
        return {
            "materials": materials_out(scene),
            "tiles": [
                {
                    "material": material,
                    "name": name,
                    "version": input_picture_key(scene, material, name, TILE)[:12],
                }
                for material, name in _pictured(scene)
            ],
            "lamps": _lamps(scene),
            "surround": _level(scene.environment, scene),
            "backdrop": _level(scene.backdrop, scene),
            "ev100": exposure(route),
            "stand_in": not is_lit(_lit_by(route, side)),
            "version": name_of(route, side).key,
        }

    made: dict[str, Any] = route.store.get_or_make(lit_key(route, side), make)
    return made


def _pictured(scene: Scene) -> list[tuple[str, str]]:
    """Materials and inputs that have an image, in a fixed order."""
    return [
        (material.id, name)
        for material in scene.materials.values()
        for name, given in sorted(material.inputs.items())
        if any(t.image in scene.images and scene.images[t.image].usable for t in given.textures)
    ]


def _lamps(scene: Scene) -> list[dict[str, Any]]:
    """Lamps that are on, and openings, each where it stands: column by column from its own space to the
    world.
    """
    world = scene.world_matrices()
    return [
        {
            "name": light.name,
            "kind": light.kind,
            "opening": light.opening,
            "color": list(light.color),
            "intensity": light.intensity,
            "inner_rad": light.inner_cone_rad,
            "outer_rad": light.outer_cone_rad,
            "width_m": light.width_m,
            "height_m": light.height_m,
            "shadows": light.shadows,
            "matrix": [float(v) for v in rigid(world[node.id]).T.ravel()],
            "node": node.id,
        }
        for node in scene.nodes.values()
        if (light := scene.lights.get(node.light or "")) is not None and light.enabled
    ]


def exposure(route: Route) -> float:
    """EV100 that both sides are shown at: what was pinned, else metered on a small picture of the
    reference.
    """
    told = exposure_of(route.decisions)
    if told is not None:
        return told
    scene = in_some_light(route.reference())
    made: float = route.store.get_or_make(
        named("metered", ("trasloco.render.picture", "trasloco.proof.light_there"), route.reference_name).key,
        lambda: auto_ev100(render(flatten(scene), framing(scene), _METER).radiance),
    )
    return made


def _level(given: Environment | Backdrop | None, scene: Scene) -> float | None:
    """What the numbers of a picture that surrounds the scene are to be multiplied by for nit, None where
    there is none.
    """
    found = surrounding(scene, given)
    return None if found is None else max(float(found[0].max()), 1e-6) / _HALF


def surround_bytes(route: Route, side: Side, which: Literal["surround", "backdrop"]) -> bytes:
    """What surrounds a side, turned as it is: rows from the bottom up, columns from -X over -Z to +X and +Z
    (atan2(z, x) from -pi), four 16-bit floats a texel, lowest byte first, to be multiplied by its level.

    Raises:
        Refused: nothing surrounds it.
    """
    scene = _seen(route, side)
    found = surrounding(scene, scene.environment if which == "surround" else scene.backdrop)
    if found is None:
        raise Refused("Nothing surrounds it.", which, "Choose a picture that lights.")
    picture, turn = found

    def make() -> bytes:
        rows, columns = SURROUND
        small = pooled(picture, columns)  # means of whole blocks, so that no light is lost
        seen = _towards(small, turn, around(rows, columns))
        half = np.ones((rows, columns, 4), np.float16)
        half[..., :3] = seen / max(float(picture.max()), 1e-6) * _HALF
        return half.astype("<f2").tobytes()

    lit_by = is_lit(_lit_by(route, side))
    key = named("surround", ("trasloco.results.lit",), name_of(route, side), which, lit_by).key
    made: bytes = route.store.get_or_make(key, make)
    return made


def around(rows: int, columns: int) -> npt.NDArray[np.float64]:
    """Unit directions (rows, columns, 3) of the texels of :func:`surround_bytes`."""
    up = ((np.arange(rows) + 0.5) / rows - 0.5) * np.pi
    about = ((np.arange(columns) + 0.5) / columns - 0.5) * 2 * np.pi
    a, u = np.meshgrid(about, up)
    return np.stack([np.cos(a) * np.cos(u), np.sin(u), np.sin(a) * np.cos(u)], axis=-1)


def _towards(
    picture: npt.NDArray[np.float32], turn_rad: float, looks: npt.NDArray[np.float64]
) -> npt.NDArray[np.float32]:
    """Texels of a latitude-longitude picture in world directions; -Z is its middle column."""
    cosine, sine = math.cos(turn_rad), math.sin(turn_rad)
    x, y, z = looks[..., 0], looks[..., 1], looks[..., 2]
    across, ahead = cosine * x - sine * z, sine * x + cosine * z
    height, width = picture.shape[:2]
    row = np.minimum((np.arccos(np.clip(y, -1, 1)) / np.pi * height).astype(int), height - 1)
    column = ((np.arctan2(across, -ahead) / (2 * np.pi) + 0.5) * width).astype(int) % width
    return np.asarray(picture[row, column])


def tiles_png(route: Route, side: Side) -> bytes:
    """All pictures of inputs of a side, small, in one: sixteen in a row, in the order of its tiles."""

    def make() -> bytes:
        from PIL import Image

        scene = scene_of(route, side)
        inputs = _pictured(scene)
        rows = max(-(-len(inputs) // _ACROSS), 1)
        sheet = np.zeros((rows * TILE, _ACROSS * TILE, 3), np.uint8)
        for at, (material, name) in enumerate(inputs):
            small = Image.open(io.BytesIO(input_picture(route.store, scene, material, name, TILE)))
            y, x = at // _ACROSS * TILE, at % _ACROSS * TILE
            sheet[y : y + TILE, x : x + TILE] = np.asarray(
                small.convert("RGB").resize((TILE, TILE), Image.Resampling.BILINEAR)
            )
        return encode(sheet, "png")

    made: bytes = route.store.get_or_make(
        named("tiles", ("trasloco.results.pictures",), name_of(route, side)).key, make
    )
    return made


def texture_png(route: Route, side: Side, material: str, name: str, texels: int) -> bytes:
    """One picture of an input of a side, at most so many texels a side."""
    return input_picture(route.store, scene_of(route, side), material, name, texels)
