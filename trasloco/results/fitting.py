"""The nearest look of a material at the destination: found by its table of reflectance, judged on the
sample by the delivered bytes under several lights.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from trasloco import move as verbs
from trasloco.decisions.kinds import in_force
from trasloco.errors import Refused
from trasloco.fit.crossings import baked, met_by_a_fit
from trasloco.fit.fitted import Change, fits_in_force, fitted_for, value_of
from trasloco.fit.fitted import named as named_inputs
from trasloco.fit.model import Plan
from trasloco.fit.nearest.fitting import Curves, Task, curves, distance, fitted, task_of
from trasloco.fit.nearest.model import Free
from trasloco.fit.nearest.own_light import what_lights
from trasloco.fit.nearest.there import not_arriving
from trasloco.fit.together.between import by_itself
from trasloco.gauge.meant import as_meant
from trasloco.inputs.table import INPUTS
from trasloco.progress import Progress, part_of, silent
from trasloco.render.picture import Quality
from trasloco.results.alone import only
from trasloco.results.name import Name, named
from trasloco.results.route import Route
from trasloco.results.samples import sample_name
from trasloco.results.three_lights import Judged, Meant, against, delivered, pictures, shown
from trasloco.scene.model import Decision, Material, Scene
from trasloco.sheets.model import Sheet

_MADE = ("trasloco.results.fitting",)
_LOOKS = 120
"""Looks at the sample, for good."""
_QUICK, _FINE = (88, 8), (200, 24)
"""Side in pixels and samples of pictures: first, and for good."""


@dataclass(frozen=True)
class Nearest:
    """A fit that may be taken.

    Attributes:
        missing: inputs that do not arrive. value: the decision that takes the fit, None where copied numbers
            are the nearest that was found. table: ΔE by the table of reflectance, copied and fitted.
        meant, copied, fitted: on the sample. drawn: labels of inputs that the sample shows as meant, since
            they are drawn on the model. free: inputs that may change, with what they are copied as on
            average, those that were asked to stay among them. rough: whether it is a first look. lights:
            names, and what each counts.
    """

    missing: tuple[str, ...]
    value: dict[str, object] | None
    free: tuple[tuple[Free, tuple[float, ...]], ...]
    rough: bool
    lights: tuple[tuple[str, float], ...]
    table: tuple[float, float]
    meant: tuple[bytes, ...]
    copied: Judged
    fitted: Judged
    curves: Curves
    drawn: tuple[str, ...]


class Ends(Protocol):
    """What a fit needs of a route."""

    @property
    def source(self) -> Sheet: ...

    @property
    def destination(self) -> Sheet: ...

    @property
    def decisions(self) -> Sequence[Decision]: ...

    def reference(self) -> Scene: ...


def plain(decisions: Sequence[Decision]) -> list[Decision]:
    """Decisions without fits: what copied numbers are made by."""
    return [d for d in decisions if d.field != "fitted"]


def can_be_fitted(plan: Plan, scene: Scene) -> dict[str, tuple[str, ...]]:
    """Materials that lose something of their look, and what; a fit that was taken changes nothing of it."""
    found = {}
    for material in scene.materials.values():
        crossings = plan.of(material.id)
        missing = tuple(c.name for c in crossings if c.name in not_arriving(crossings) or met_by_a_fit(c))
        if missing and not material.unlit:
            found[material.id] = missing
    return found


def not_taken(route: Route, plan: Plan) -> list[str]:
    """Materials that lose something of their look, and for which no fit is in force."""
    scene = route.reference()
    taken = fits_in_force(scene, route.destination, in_force(route.decisions))
    return [id for id in can_be_fitted(plan, scene) if id not in taken]


def nearest_name(route: Route, material: str, quick: bool, keep: tuple[str, ...] = ()) -> Name:
    """A fit reads what a sample reads, and the faces that wear the material."""
    scene = route.reference()
    worn = [
        (p.positions, p.indices, p.uvs)
        for m in scene.meshes.values()
        for p in m.primitives
        if p.material == material
    ]
    return named(
        "nearest",
        _MADE,
        sample_name(route.otherwise(plain(route.decisions)), material),
        worn,
        what_lights(scene, material),
        quick,
        sorted(keep),
    )


def task(route: Route, material: str, keep: tuple[str, ...] = ()) -> Task | None:
    """What is to be fitted of a material, None where nothing is."""
    scene = route.reference()
    if material not in scene.materials:
        raise Refused("There is no such material.", material, "Reload the page.")

    def make() -> Task | None:
        return task_between(route, material, keep)

    made: Task | None = route.store.get_or_make(task_name(route, material, keep).key, make, keep=False)
    return made


def task_name(route: Route, material: str, keep: tuple[str, ...] = ()) -> Name:
    return named("fit task", _MADE, nearest_name(route, material, quick=True, keep=keep))


def task_between(route: Ends, material: str, keep: tuple[str, ...] = ()) -> Task | None:
    """What is to be fitted of a material, thought through anew."""
    scene = route.reference()
    plan = verbs.plan(
        only(scene, material), route.source, by_itself(route.destination), plain(route.decisions)
    )

    def as_there(materials: list[Material]) -> list[Material]:
        made = as_meant(Scene("even", materials={m.id: m for m in materials}), route.destination)
        return list(made.materials.values())

    return task_of(scene, material, plan, route.destination, keep, as_there)


def nearest(
    route: Route, material: str, quick: bool = False, keep: tuple[str, ...] = (), report: Progress = silent
) -> Nearest | None:
    """The fit of a material, None where nothing of its look is lost or nothing may change."""

    def make() -> Nearest | None:
        given = task(route, material, keep)
        whole = task(route, material) if keep else given
        return (
            None
            if given is None or whole is None
            else made(route, material, given, quick, whole, report=report)
        )

    found: Nearest | None = route.store.get_or_make(nearest_name(route, material, quick, keep).key, make)
    return found


def quality_of(quick: bool) -> Quality:
    """Of the sample's pictures, at a first look or for good."""
    side, samples = _QUICK if quick else _FINE
    return Quality(side, side, samples, 3)


def made(
    route: Ends,
    material: str,
    given: Task,
    quick: bool,
    whole: Task | None = None,
    meant: Meant | None = None,
    report: Progress = silent,
) -> Nearest:
    """A fit, found and judged; ``whole`` is the task with nothing that has to stay as it is, ``meant`` the
    material's pictures where they are there already.
    """
    scene, destination = route.reference(), route.destination
    found = fitted(given, 0 if quick else _LOOKS, part_of(report, 0, 0.8))
    report(0.8, "drawing it as it would arrive")
    holds_for = fitted_for(scene, scene.materials[material], destination)
    value = value_of(found.fit, holds_for, destination)
    quality = quality_of(quick)
    meant = meant or pictures(scene, material, given.among, quality, part_of(report, 0.8, 0.87))
    before, drawn = judged(route, material, meant, quality, [], part_of(report, 0.87, 0.93))
    after = before
    if found.fit.changes:
        more = [Decision(material, "fitted", value)]
        after, drawn = judged(route, material, meant, quality, more, part_of(report, 0.93, 1))
    better = after.value < before.value - 1e-3
    whole = whole or given
    free = tuple(
        (one, tuple(float(v) for v in whole.points.shares @ whole.model.given(one.name)))
        for one in whole.model.free
    )
    return Nearest(
        given.missing,
        value if better else None,
        free,
        quick,
        tuple(zip(given.among.names, map(float, given.among.shares), strict=True)),
        (found.copied, found.fitted if better else found.copied),
        shown(meant.lit),
        before,
        after if better else before,
        curves(given, found.fit.changes if better else {}),
        drawn,
    )


def judged(
    route: Ends,
    material: str,
    meant: Meant,
    quality: Quality,
    more: list[Decision],
    report: Progress = silent,
) -> tuple[Judged, tuple[str, ...]]:
    """What arrives of a material, by its own delivered bytes with some more decisions, against what is meant;
    and what of it the sample shows as meant.
    """
    scene = only(route.reference(), material)
    there_alone = by_itself(route.destination)
    plan = verbs.plan(scene, route.source, there_alone, [*plain(route.decisions), *more])
    drawn = [crossing.name for crossing in plan.of(material) if baked(crossing)]
    there = delivered(scene, plan, there_alone, part_of(report, 0, 0.5))
    made = against(meant, there, scene, drawn, quality, part_of(report, 0.5, 1))
    return made, tuple(INPUTS[name].label for name in drawn)


def nudged(
    route: Route, material: str, inputs: Mapping[str, tuple[Sequence[float], Sequence[float]]]
) -> tuple[float, float]:
    """ΔE by the table of reflectance, of copied numbers and of gains and offsets made by hand.

    Raises:
        Refused: an input that may not change here, or numbers that are too many or too few.
    """
    given = task(route, material)
    if given is None:
        raise nothing_lost(material)
    free = {one.name: one.channels for one in given.model.free}
    changes = {}
    for name, (gain, offset) in inputs.items():
        if name not in free or {len(gain), len(offset)} != {free[name]}:
            label = INPUTS[name].label if name in INPUTS else name
            raise Refused("This cannot be changed so.", label, "Change one of the inputs that are listed.")
        changes[name] = Change(tuple(gain), tuple(offset))
    return distance(given, {}), distance(given, changes)


def nothing_lost(material: str) -> Refused:
    return Refused(
        "Nothing of this material's look is lost on the way, or nothing of it may change.",
        material,
        "Choose another, or see its crossings.",
    )


def known(route: Route, material: str, keep: tuple[str, ...] = ()) -> Nearest | None:
    """The fit of a material where it was looked for already: for good, or at a first look."""
    for quick in (False, True):
        if route.store.has(nearest_name(route, material, quick, keep).key):
            return nearest(route, material, quick, keep)
    return None


def none_to_find(route: Route, material: str, keep: tuple[str, ...] = ()) -> bool:
    """Whether it was looked for, and nothing is lost or nothing may change."""
    looked = route.store.has(nearest_name(route, material, quick=True, keep=keep).key)
    return looked and nearest(route, material, quick=True, keep=keep) is None


def remains(made: Nearest, name: str, destination: str) -> str:
    """What remains and why, in words: where over the angle of view the light is most off."""
    off = [abs(a - b) for a, b in zip(made.curves.fitted, made.curves.meant, strict=True)]
    at = max(range(len(off)), key=lambda k: off[k])
    where = (
        "facing the eye"
        if made.curves.degrees[at] < 30
        else "at its rim"
        if made.curves.degrees[at] > 60
        else "turned away by half"
    )
    worst = max(range(len(made.lights)), key=lambda k: made.fitted.lights[k].value)
    lost = named_inputs(made.missing)
    if made.value is None:
        nearest_found = "copied numbers are the nearest that was found"
        return f"{destination} has no input that stands in for {lost}: {nearest_found}."
    share = 1 - made.fitted.value / max(made.copied.value, 1e-6)
    return (
        f"{share:.0%} of the difference is met. What remains is most in {made.lights[worst][0]}, and where"
        f" {name} is {where}: {destination} has no {lost}."
    )
