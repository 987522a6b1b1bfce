"""A glance from any place: both sides of a move as the proof's own renderer sees them, small and soon,
sharper each time it is asked again.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from trasloco.progress import Progress, part_of, silent
from trasloco.proof.compare import compare
from trasloco.proof.figure import Figure
from trasloco.proof.picturing import preview_png
from trasloco.proof.staging import exposure_of, limits_of
from trasloco.render.arrays import FlatScene
from trasloco.render.exposure import auto_ev100
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, render, rigid
from trasloco.results.name import Name, named
from trasloco.results.route import Route
from trasloco.scene.model import Scene

WIDTH = 320
STEPS = (4, 16, 48, 128)
"""Samples a pixel, one after the other."""
_BOUNCES = 3


@dataclass(frozen=True)
class Glance:
    """Both sides, PNG without their noise, and what they differ by on the subject."""

    reference: bytes
    arrival: bytes
    samples: int
    figure: Figure
    words: str


def view_of(said: Mapping[str, Any]) -> View:
    """A view from 16 numbers, row by row from camera to world, and its vertical angle in radians."""
    matrix = np.array(said["matrix"], np.float64).reshape(4, 4)
    return View("glance", rigid(matrix), float(said["yfov_rad"]))


def glance_name(route: Route, view: View, aspect: float, step: int) -> Name:
    return named(
        "glance",
        ("trasloco.results.glance", "trasloco.render.picture"),
        route.reference_name,
        route.arrival_name,
        asdict(view),
        round(aspect, 3),
        exposure_of(route.decisions),
        asdict(limits_of(route.decisions)),
        step,
    )


def glance(route: Route, view: View, aspect: float, step: int, progress: Progress = silent) -> Glance:
    """Both sides from a view, at the step's number of samples; goes on from the step before.

    Raises:
        Refused: it cannot be delivered.
    """

    def make() -> Glance:
        quality = Quality(WIDTH, max(round(WIDTH / aspect), 16), STEPS[step], _BOUNCES)
        sides = []
        for at, (scene_name, scene) in enumerate(_sides(route, part_of(progress, 0, 0.4))):
            key = named("glanced", ("trasloco.render.picture",), scene_name, asdict(view), quality.height).key
            before: Picture | None = route.store.recall(key)
            start = before if before is not None and before.samples < quality.samples else None
            flat = _flat(route, scene_name, scene)
            shown = part_of(progress, 0.4 + 0.3 * at, 0.7 + 0.3 * at)
            picture = render(flat, view, quality, shown, start=start)
            route.store.remember(key, picture)
            sides.append((picture, flat))
        (reference, flat), (arrival, _) = sides
        told = exposure_of(route.decisions)
        ev100 = auto_ev100(reference.radiance) if told is None else told
        found = compare(reference, arrival, ev100, flat.material_ids, flat.part_ids, quick=True)
        return Glance(
            preview_png(reference, ev100),
            preview_png(arrival, ev100),
            reference.samples,
            found.subject,
            limits_of(route.decisions).words(found.subject.value),
        )

    made: Glance = route.store.get_or_make(glance_name(route, view, aspect, step).key, make, keep=False)
    return made


def _sides(route: Route, progress: Progress) -> list[tuple[Name, Scene]]:
    return [(route.reference_name, route.reference()), (route.arrival_name, route.arrival(progress))]


def _flat(route: Route, name: Name, scene: Scene) -> FlatScene:
    made: FlatScene = route.store.get_or_make(
        named("flat", ("trasloco.render.flatten",), name).key, lambda: flatten(scene), keep=False
    )
    return made
