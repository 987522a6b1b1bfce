"""A material at any destination: passed on untouched, copied by the conventions, and fitted, on the sample."""

from __future__ import annotations

from dataclasses import dataclass

from trasloco import move as verbs
from trasloco.errors import Refused
from trasloco.fit.nearest.own_light import around, what_lights
from trasloco.render.picture import Quality
from trasloco.results.alone import only
from trasloco.results.fitting import made, plain, task_between
from trasloco.results.name import Name, named
from trasloco.results.route import Route
from trasloco.results.samples import sample_name
from trasloco.results.three_lights import Judged, against, delivered, pictures, shown
from trasloco.sheets.model import Sheet

_MADE = ("trasloco.results.elsewhere",)
_SIDE, _SAMPLES = 88, 8


@dataclass(frozen=True)
class Elsewhere:
    """What becomes of a material; pictures, PNG, in the sample's own booth, ΔE over all lights.

    ``untouched`` is None where what was received has no such material. ``fitted`` is what was copied where
    nothing is lost, or nothing nearer was found. ``missing``: what is lost of its look.
    """

    meant: bytes
    untouched: Judged | None
    copied: Judged
    fitted: Judged
    missing: tuple[str, ...]
    found: bool


def _route_to(route: Route, sheet: Sheet) -> Route:
    return Route(
        route.files, route._read, route.source, sheet, plain(route.decisions), route.store, route.place
    )


def elsewhere_name(route: Route, material: str, sheet: Sheet) -> Name:
    return named(
        "elsewhere",
        _MADE,
        sample_name(_route_to(route, sheet), material),
        route.received_name,
        what_lights(route.reference(), material),
    )


def elsewhere(route: Route, material: str, sheet: Sheet) -> Elsewhere:
    """A material at a destination. Raises Refused where there is none, or none arrives there."""

    def make() -> Elsewhere:
        return _made(_route_to(route, sheet), material)

    found: Elsewhere = route.store.get_or_make(elsewhere_name(route, material, sheet).key, make)
    return found


def _made(route: Route, material: str) -> Elsewhere:
    scene, quality = route.reference(), Quality(_SIDE, _SIDE, _SAMPLES, 3)
    if material not in scene.materials:
        raise Refused("There is no such material.", material, "Reload the page.")
    meant = pictures(scene, material, around(scene, material), quality)
    untouched = None
    received = route.received().scene
    if material in received.materials:
        plan = verbs.pass_on_untouched(only(received, material), route.destination)
        arrival = delivered(only(received, material), plan, route.destination)
        untouched = against(meant, arrival, scene, (), quality)
    given = task_between(route, material)
    if given is not None:
        found = made(route, material, given, quick=True)
        return Elsewhere(
            shown(meant.lit)[0], untouched, found.copied, found.fitted, given.missing, found.value is not None
        )
    plan = verbs.plan(only(scene, material), route.source, route.destination, route.decisions)
    arrival = delivered(only(scene, material), plan, route.destination)
    copied = against(meant, arrival, scene, (), quality)
    return Elsewhere(shown(meant.lit)[0], untouched, copied, copied, (), False)
