"""A material at any destination: passed on untouched, copied by the conventions, and fitted, on the sample."""

from __future__ import annotations

from dataclasses import dataclass

from trasloco import move as verbs
from trasloco.errors import Refused
from trasloco.fit.nearest.own_light import around, what_lights
from trasloco.fit.together.between import by_itself
from trasloco.results.alone import only
from trasloco.results.fitting import judged, made, plain, quality_of, task_between
from trasloco.results.name import Name, named
from trasloco.results.route import Route
from trasloco.results.samples import sample_name
from trasloco.results.three_lights import Judged, against, delivered, pictures, shown
from trasloco.sheets.model import Sheet

_MADE = ("trasloco.results.elsewhere",)


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


def elsewhere_name(route: Route, material: str, sheet: Sheet) -> Name:
    return named(
        "elsewhere",
        _MADE,
        sample_name(route.otherwise(plain(route.decisions), sheet), material),
        route.received_name,
        what_lights(route.reference(), material),
    )


def elsewhere(route: Route, material: str, sheet: Sheet) -> Elsewhere:
    """A material at a destination. Raises Refused where there is none, or none arrives there."""

    def make() -> Elsewhere:
        return _made(route.otherwise(plain(route.decisions), sheet), material)

    found: Elsewhere = route.store.get_or_make(elsewhere_name(route, material, sheet).key, make)
    return found


def _made(route: Route, material: str) -> Elsewhere:
    scene, quality = route.reference(), quality_of(quick=True)
    if material not in scene.materials:
        raise Refused("There is no such material.", material, "Reload the page.")
    given = task_between(route, material)
    among = around(scene, material) if given is None else given.among
    meant = pictures(scene, material, among, quality)
    untouched = None
    received = route.received().scene
    if material in received.materials:
        alone = only(received, material)
        there = by_itself(route.destination)
        plan = verbs.pass_on_untouched(alone, there)
        untouched = against(meant, delivered(alone, plan, there), scene, (), quality)
    first = shown(meant.lit)[0]
    if given is None:
        copied, _ = judged(route, material, meant, quality, [])
        return Elsewhere(first, untouched, copied, copied, (), found=False)
    found = made(route, material, given, quick=True, meant=meant)
    better = found.value is not None
    return Elsewhere(first, untouched, found.copied, found.fitted, given.missing, better)
