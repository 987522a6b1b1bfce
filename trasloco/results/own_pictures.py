"""One's own pictures on the route: the camera found, both sides rendered through it, and all three measured
on the same pixels.
"""

from __future__ import annotations

import math
import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np

from trasloco import move as verbs
from trasloco.errors import Refused
from trasloco.inventory.world import world_triangles
from trasloco.outside.camera import LEAST_POINTS as LEAST_POINTS
from trasloco.outside.camera import FoundCamera, camera_from_points, straightened
from trasloco.outside.nearby import Nearby, camera_nearby
from trasloco.outside.own_picture import FINDS_CURVE, Held, Mask, Side, hold
from trasloco.outside.registering import Floats, resized
from trasloco.outside.showing import CURVES, Shown, displayed_by
from trasloco.progress import Progress, part_of
from trasloco.proof.compare import LEAST_COVER
from trasloco.proof.picturing import difference_png, picture_exr
from trasloco.proof.proving import in_same_surroundings
from trasloco.proof.staging import staged, views_for
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.results.outside import light_png, picture_in
from trasloco.results.route import Route
from trasloco.scene.color import delta_e, linear_to_lab, linear_to_srgb, srgb_to_linear
from trasloco.scene.images import identify, pixels, unit_floats
from trasloco.scene.model import Scene
from trasloco.scene.resolve import color_of
from trasloco.summary import figure_json

QUALITY = Quality(560, 315, 24, 4)
"""What both sides are rendered with; the height follows the picture's shape."""
_LOOK = Quality(480, 270, 4, 2)
MOST_SHOWN = 2048
"""A picture is shown no wider or higher than this."""
LEAST_SIDE = 64


@dataclass(frozen=True)
class Given:
    """A picture as it is shown, PNG, and its size in pixels as it was given."""

    png: bytes
    width: int
    height: int


def given(data: bytes, name: str) -> Given:
    """A picture file, to be shown. Raises Refused: it is no picture that can be read, or too small."""
    light = picture_in(data, name)
    height, width = light.shape[:2]
    if min(height, width) < LEAST_SIDE:
        raise Refused(
            "The picture is too small.", f"{width} x {height}", f"Give one of {LEAST_SIDE} pixels at least."
        )
    factor = min(MOST_SHOWN / max(width, height), 1.0)
    shown = light if factor == 1 else resized(light, round(width * factor), round(height * factor))
    return Given(light_png(shown), width, height)


def curves() -> list[str]:
    """Open tone curves a picture may have been shown by."""
    return list(CURVES)


def camera_of_points(pairs: Sequence[Mapping[str, Any]], width: int, height: int) -> dict[str, Any]:
    """The camera of pairs of a ``place`` in metres and its ``pixel`` in the picture, to be kept.

    Raises:
        Refused: too few, on one line, or no camera sees them like that.
    """
    world = np.array([pair["place"] for pair in pairs], np.float64).reshape(-1, 3)
    pressed = np.array([pair["pixel"] for pair in pairs], np.float64).reshape(-1, 2)
    return camera_json(camera_from_points(world, pressed, width, height))


def camera_json(camera: FoundCamera) -> dict[str, Any]:
    """A camera to be kept; :func:`camera_from_json` reads it again."""
    told = asdict(camera)
    return {
        **told,
        "matrix": [float(v) for v in camera.matrix.ravel()],
        "shift": list(camera.shift),
        "off_px": list(camera.off_px),
        "doubtful": list(camera.doubtful),
    }


def camera_from_json(told: Mapping[str, Any]) -> FoundCamera:
    """A camera that was kept."""
    return FoundCamera(
        np.array(told["matrix"], np.float64).reshape(4, 4),
        float(told["yfov_rad"]),
        (float(told["shift"][0]), float(told["shift"][1])),
        float(told["bend"]),
        float(told["rms_px"]),
        tuple(float(v) for v in told["off_px"]),
        float(told["unsure_m"]),
    )


def through(view: View, aspect: float) -> FoundCamera:
    """A view's camera, whose frame is held whole in a picture of some width for its height."""
    held = max(1.0, view.aspect / aspect)
    half = math.tan(view.yfov_rad / 2) * held
    right, down = view.shift
    shift = (right * (view.aspect or aspect) / aspect / held, down / held)
    return FoundCamera(view.matrix, 2 * math.atan(half), shift)


@dataclass(frozen=True)
class AskedOf:
    """How a picture is held: which side it is a picture of, by which curve it was shown (found where it is
    empty), about which view it was taken from, and its camera where that was found by points.
    """

    of: Side
    curve: str
    view: str
    camera: Mapping[str, Any] | None


def asked_of(of: str, curve: str, view: str, camera: Mapping[str, Any] | None) -> AskedOf:
    """What is kept of a picture, as it is asked."""
    return AskedOf("arrival" if of == "arrival" else "reference", curve, view, camera)


@dataclass(frozen=True)
class Lying:
    """A picture that lies over what its camera sees, as it is kept: itself and where it reaches, PNG, the
    camera, and the curve that it was found to be shown by.
    """

    mine: bytes
    inside: bytes
    camera: Mapping[str, Any]
    curve: str

    def opened(self) -> tuple[Floats, Mask, View]:
        """Display light (H, W, 3), where it reaches (H, W), and what its camera sees."""
        picture = picture_in(self.mine, "mine.png")
        reaches = picture_in(self.inside, "inside.png")[..., 0] > 0.5
        view = camera_from_json(self.camera).view("matched", picture.shape[1] / picture.shape[0])
        return picture, reaches, view


@dataclass(frozen=True)
class FoundHeld:
    """What is kept of it: figures, PNG and EXR by name, and the camera."""

    told: dict[str, Any]
    pictures: Mapping[str, bytes]
    camera: dict[str, Any]


def held(route: Route, data: bytes, name: str, asked: AskedOf, report: Progress) -> FoundHeld:
    """Hold a picture against both sides.

    Raises:
        Refused: it is no picture, the view is gone, or it cannot be delivered.
    """
    began = time.perf_counter()
    if asked.curve != FINDS_CURVE and asked.curve not in CURVES:
        raise Refused("There is no such tone curve.", asked.curve[:80], "Choose one of those listed.")
    picture = picture_in(data, name)
    aspect = picture.shape[1] / picture.shape[0]
    reference = route.reference()
    seen = next((one for one in views_for(reference, route.decisions) if one.name == asked.view), None)
    if seen is None and asked.camera is None:
        raise Refused(
            "There is no such view.",
            asked.view[:80],
            "Choose a camera of the move, or find the camera by points.",
        )
    arrival = in_same_surroundings(reference, route.arrival(part_of(report, 0, 0.2)))
    if seen is not None:
        reference, arrival = (staged(one, seen, reference) for one in (reference, arrival))
    near: Nearby | None = None
    if asked.camera is not None:
        camera, lies = camera_from_json(asked.camera), True
    else:
        assert seen is not None
        report(0.22, "looking for its camera")
        camera = through(seen, aspect)
        near = _found_nearby(arrival if asked.of == "arrival" else reference, camera, picture)
        camera, lies = (near.camera, True) if near.found else (camera, False)
    straight, reaches = straightened(picture, camera)
    view = replace(camera.view(name, aspect), environment="")
    quality = replace(QUALITY, height=max(round(QUALITY.width / aspect), 16))
    proof = verbs.prove(
        reference, arrival, (view,), quality, progress=part_of(report, 0.35, 0.97), stand_in=True
    ).views[0]
    ids = flatten(reference).material_ids
    made = hold(straight, reaches, proof.reference, proof.arrival, ids, asked.of, asked.curve, lies)
    between = delta_e(linear_to_lab(made.reference), linear_to_lab(made.arrival))
    seen_here = (proof.reference.ids[..., 0] >= 0) & made.inside
    told = {
        "of": asked.of,
        "curve": made.shown.curve,
        "stops": made.shown.stops,
        "width": quality.width,
        "height": quality.height,
        "how": "points" if asked.camera is not None else "found" if lies else "view",
        "found_again": near.found_again if near is not None else 0,
        "off_px": near.off_px if near is not None and near.found else camera.rms_px,
        "lies": lies or made.alignment.found,
        "scale": made.alignment.scale,
        "reference": figure_json(made.reference_figure),
        "arrival": figure_json(made.arrival_figure),
        "between": float(between[seen_here].mean()) if seen_here.any() else 0.0,
        "materials": _materials(made, reference),
        "seconds": time.perf_counter() - began,
    }
    pictures = {
        "mine": light_png(made.mine),
        "inside": light_png(np.repeat(made.inside[..., None].astype(np.float32), 3, axis=2)),
        "reference": light_png(made.reference),
        "arrival": light_png(made.arrival),
        "to_reference": difference_png(made.to_reference),
        "to_arrival": difference_png(made.to_arrival),
        "reference_exr": picture_exr(proof.reference),
        "arrival_exr": picture_exr(proof.arrival),
    }
    return FoundHeld(told, pictures, camera_json(camera))


def _found_nearby(side: Scene, start: FoundCamera, picture: Floats) -> Nearby:
    flat = flatten(side)
    return camera_nearby(
        world_triangles(side),
        lambda view, width, height: render(flat, view, replace(_LOOK, width=width, height=height)),
        start,
        picture,
    )


def _materials(made: Held, reference: Scene) -> list[dict[str, Any]]:
    return [
        {
            "id": one.id,
            "name": reference.materials[one.id].name if one.id in reference.materials else "no material",
            "cover": one.cover,
            "reference": figure_json(one.reference),
            "arrival": figure_json(one.arrival),
        }
        for one in made.materials
        if one.cover >= LEAST_COVER
    ]


def pixel_of(
    mine_png: bytes, sides: Sequence[Floats], x: int, y: int, shown: Mapping[str, Any]
) -> dict[str, Any]:
    """One pixel of a picture and of both sides: codes on screen, radiance of the sides in nit, and how far
    each side lies from the picture.

    Args:
        sides: radiance (H, W, 3) of reference and arrival. shown: curve and stops they are shown by.

    Raises:
        Refused: it lies outside.
    """
    codes = pixels(identify("picture", "picture", "picture.png", mine_png))
    if not (0 <= y < codes.shape[0] and 0 <= x < codes.shape[1]):
        raise Refused("There is no such pixel.", f"{x}, {y}", "Point inside the picture.")
    by = Shown(str(shown["curve"]), float(shown["stops"]))
    light = [displayed_by(side[y : y + 1, x : x + 1], by) for side in sides]
    own = np.asarray(unit_floats(color_of(codes[y : y + 1, x : x + 1])), np.float32)
    labs = [linear_to_lab(one) for one in (srgb_to_linear(own), *light)]
    return {
        "x": x,
        "y": y,
        "mine": [int(v) for v in np.round(own[0, 0] * 255)],
        "srgb": [[int(v) for v in np.round(linear_to_srgb(one)[0, 0] * 255)] for one in light],
        "linear": [[float(v) for v in side[y, x]] for side in sides],
        "delta_e": [float(delta_e(labs[0], lab)[0, 0]) for lab in labs[1:]],
    }
