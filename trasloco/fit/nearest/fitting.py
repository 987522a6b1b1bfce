"""A material fitted to a destination's model: closed forms first, then the search, then what remains and
why.
"""

from __future__ import annotations

import itertools
from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np

from trasloco.fit.fitted import Change, Fitted
from trasloco.fit.model import Plan
from trasloco.fit.nearest.body import as_it_looks, has_inside, recolored
from trasloco.fit.nearest.flat import as_surface, materials_at
from trasloco.fit.nearest.model import Doubles, Model
from trasloco.fit.nearest.on_sample import BEYOND_A_TABLE, OnSample, as_mean, refined
from trasloco.fit.nearest.own_light import around
from trasloco.fit.nearest.points import Points, points_of
from trasloco.fit.nearest.search import AsRead, Measure, as_it_is, nearest, simplified, wanted
from trasloco.fit.nearest.stand import stand
from trasloco.fit.nearest.starts import starts
from trasloco.fit.nearest.surroundings import Around, three
from trasloco.fit.nearest.there import model_of, not_arriving
from trasloco.progress import Progress, silent
from trasloco.scene.model import Material, Scene
from trasloco.sheets.model import Sheet

_QUICK, _FINE = 64, 512
"""Directions that a look is measured by, after the closures and after the lamps each: while searching, and at
the end.
"""
_ANGLES = 7
_LOOKS = 40
"""Looks at the sample where no table tells what goes on."""


@dataclass(frozen=True)
class Task:
    """A material that is to be met.

    Attributes:
        points: what it is where. model: the destination's model of it. missing: inputs that do not arrive.
        wanted: it at each point, as a surface. mean: it as one point. among: the light it is seen in. read:
            what the destination makes of numbers, where that was measured.
    """

    points: Points
    model: Model
    missing: tuple[str, ...]
    wanted: tuple[Material, ...]
    mean: Material
    among: Around
    read: AsRead

    def measure(self, directions: int, among: Around | None = None) -> Measure:
        """In all its light, or in some of it."""
        on = stand(directions, among or self.among)
        return Measure(self.model, wanted(self.wanted, self.points, on), on, self.read)


@dataclass(frozen=True)
class Found:
    """A fit, with the mean ΔE (CIEDE2000) of copied numbers and of the fit by the table of reflectance, over
    points, places and surroundings.
    """

    fit: Fitted
    copied: float
    fitted: float


def task_of(
    scene: Scene,
    material: str,
    plan: Plan,
    destination: Sheet,
    keep: Collection[str] = (),
    read: AsRead = as_it_is,
) -> Task | None:
    """What is to be fitted of a material, by a plan without a fit of it; None where everything that makes its
    look arrives, or nothing may change.
    """
    one, crossings = scene.materials[material], plan.of(material)
    missing = not_arriving(crossings)
    if not missing or one.unlit:
        return None
    points = points_of(scene, one)
    model = model_of(one, points, crossings, plan.alpha.get(material, "opaque"), destination, keep)  # type: ignore[arg-type]
    if not model.free:
        return None
    among = around(scene, material)
    meant = _meant(one, points, among)
    return Task(points, model, missing, meant, as_mean(one, points), among, read)


def _meant(material: Material, points: Points, among: Around) -> tuple[Material, ...]:
    """What is to be met at each point: the material itself, or a surface that sends back as much light."""
    bodies = materials_at(material, points)
    surfaces = [as_surface(body) for body in bodies]
    if not has_inside(material):
        return tuple(surfaces)
    most = int(np.argmax(points.shares))
    before = np.array(surfaces[most].inputs["base_color"].factor)
    after = np.array(as_it_looks(bodies[most], surfaces[most], among).inputs["base_color"].factor)
    ratio = after / np.maximum(before, 1e-4)
    return tuple(recolored(s, np.array(s.inputs["base_color"].factor) * ratio) for s in surfaces)


def fitted(task: Task, looks: int = 0, report: Progress = silent) -> Found:
    """The nearest look that is found; where nothing is nearer than copied numbers, no changes.

    ``looks`` are looks at the rendered sample, after the table of reflectance; at least so many as are needed
    where no table tells what goes on.
    """
    report(0.0, "thinking the look through")
    quick = task.measure(_QUICK)
    begun = list(starts(task.model, task.points, task.missing))
    found = simplified(quick, nearest(quick, begun))
    if BEYOND_A_TABLE & set(task.missing):
        looks = max(looks, _LOOKS)
    if looks:
        # Places to begin from are looked at as well, and what was found once more without each change.
        expected = looks + len(begun) + 2 * len(task.model.free) + 4
        sample = OnSample(
            task.mean,
            task.model,
            task.points,
            task.read,
            task.among,
            on_look=lambda seen: report(0.2 + 0.8 * min(seen / expected, 1), "looking at the sample"),
        )
        found = simplified(sample, refined(sample, [*begun, found], looks))
    fine = task.measure(_FINE)
    copied, after = fine.mean(begun[0]), fine.mean(found)
    changes = task.model.changes(found) if after < copied or looks else {}
    return Found(Fitted(changes, task.missing), copied, after if changes else copied)


def distance(task: Task, changes: Mapping[str, Change]) -> float:
    """Mean ΔE by the table of reflectance, of changes made by hand."""
    fine = task.measure(_FINE)
    return fine.mean(task.model.place_of(changes))


@dataclass(frozen=True)
class Curves:
    """Light over the angle of view, as shown (0 to 1, linear luminance), mean over points and surroundings:
    ``degrees`` (A,) from facing to grazing; what is meant, copied, and fitted.
    """

    degrees: tuple[float, ...]
    meant: tuple[float, ...]
    copied: tuple[float, ...]
    fitted: tuple[float, ...]


def curves(task: Task, changes: Mapping[str, Change]) -> Curves:
    """How both sides send light on over the angle of view, in the three lights that are always there."""
    fine = task.measure(_FINE, three())
    facing = np.einsum("nk,nk->n", fine.on.normals, fine.on.viewers)
    order = np.argsort(facing)
    # As much of what counts in each step.
    so_far = np.cumsum(fine.on.weights.sum(axis=1)[order])
    edges = np.interp(np.linspace(1, 0, _ANGLES + 1), so_far, facing[order])
    within = [(facing <= high) & (facing >= low) for high, low in itertools.pairwise(edges)]
    degrees = tuple(float(np.degrees(np.arccos(np.clip(facing[at].mean(), 0, 1)))) for at in within)
    start = task.model.place_of({})
    told = [fine.target.lab, fine.lab(start), fine.lab(task.model.place_of(changes))]
    lights: list[tuple[float, ...]] = []
    for lab in told:
        # Luminance by CIE 1976 lightness: Y = ((L + 16) / 116)^3 above L = 8.
        light: Doubles = np.where(lab[..., 0] > 8, ((lab[..., 0] + 16) / 116) ** 3, lab[..., 0] / 903.3)
        each = np.einsum("k,kne->ne", task.points.shares, light)
        lights.append(tuple(float(np.average(each[at], weights=fine.on.weights[at])) for at in within))
    return Curves(degrees, *lights)
