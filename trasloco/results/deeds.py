"""What one press would do to bring an arrival nearer: nearest looks that were not taken, repairs that wait on
the Inventory, faults of lightmaps that can be mended, and limits of the artist's own that could be lifted.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from trasloco.decisions.kinds import in_force
from trasloco.fit.together.between import one_a_part
from trasloco.light.lightmaps.faults import cures
from trasloco.progress import Progress, part_of, saying
from trasloco.results.fitting import nearest, not_taken
from trasloco.results.route import Route
from trasloco.scene.findings import Finding, Nature
from trasloco.scene.model import Decision

_MANY = 6
"""Limits that are tried each by itself; more, as a budget sets them, are tried together."""
_MENDED = {
    "leak": "Stop light that leaks through",
    "seam": "Mend its seams",
    "noise": "Take more paths where it is blotchy",
    "coarse": "Give it more texels where they are too few",
    "dark": "Mend dark edges",
    "speck": "Mend light from nowhere",
}
"""What mends faults of lightmaps, by their kind."""


@dataclass(frozen=True)
class Deed:
    """Something that one press does.

    ``where``, ``words``: of what, and what is done. ``decisions``: what is decided. ``free``: whether it
    costs neither memory nor triangles. ``mends``: whether the reference changes as well, which is told only
    where it shows.
    """

    id: str
    where: str
    words: str
    decisions: tuple[Decision, ...]
    free: bool = True
    mends: bool = False


def deeds_of(route: Route, report: Progress) -> list[Deed]:
    """All there are, each with what it decides; nearest looks are searched where they are not known."""
    limits = list(_limits(route))
    if len(limits) > _MANY:
        words = f"Lift all {len(limits)} limits of sizes, files and triangles"
        decisions = tuple(d for deed in limits for d in deed.decisions)
        limits = [Deed("limits", "Everything", words, decisions, free=False)]
    return [*_looks(route, report), *_mends(route, "repair"), *_bakes(route), *limits]


def _looks(route: Route, report: Progress) -> Iterator[Deed]:
    scene, lossy = route.reference(), not_taken(route, route.plan())
    for number, id in enumerate(lossy):
        name = scene.materials[id].name
        words = f"looking for the nearest look of {name}"
        at = part_of(report, number / len(lossy), (number + 1) / len(lossy))
        look = nearest(route, id, report=saying(at, words))
        if look is not None and look.value is not None:
            yield Deed(f"nearest:{id}", name, "Take its nearest look", (Decision(id, "fitted", look.value),))


def guesses_of(route: Route) -> list[Deed]:
    """Guesses at what the file leaves open that nobody settled yet: they change what is meant, so that only a
    look at them tells whether they are right.
    """
    return list(_mends(route, "guess"))


def _mends(route: Route, nature: Nature) -> Iterator[Deed]:
    """Mends of a nature that nobody took yet: all of a kind of finding at once."""
    found: dict[str, list[Finding]] = {}
    for one in route.findings():
        if one.state == "open" and one.mends and one.mends[0].nature == nature:
            found.setdefault(one.kind, []).append(one)
    for kind, same in found.items():
        where = same[0].where if len(same) == 1 else f"{same[0].title}, {len(same)} times"
        decisions = tuple(d for one in same for d in one.mends[0].decisions)
        yield Deed(f"mend:{kind}", where, same[0].mends[0].label, decisions, mends=True)


def _bakes(route: Route) -> Iterator[Deed]:
    """What mends all faults of a kind, of lightmaps that are baked."""
    if not route.wish.wanted or not route.has_light():
        return
    for kind, made in cures(route.baked().faults.found).items():
        yield Deed(f"bake:{kind}", "Lightmaps", _MENDED[kind], tuple(made), free=False)


def _limits(route: Route) -> Iterator[Deed]:
    scene = route.reference()
    for d in in_force(route.decisions):
        if not d.value or d.field not in _LIFTED or not _holds(route, d):
            continue
        named = scene.materials.get(d.target) or scene.nodes.get(d.target)
        where = named.name if named is not None else "Everything"
        id, words = _LIFTED[d.field]
        lifted = (Decision(d.target, d.field, None),)
        yield Deed(f"{id}:{d.target}", where, words.format(d.value), lifted, free=False)


def _holds(route: Route, limit: Decision) -> bool:
    """Whether a limit does anything at this destination: what is said of materials drawn for parts does where
    they are.
    """
    drawn = limit.field == "largest_side" and limit.target in route.reference().nodes
    if limit.field == "drawn_together":
        return route.destination != route.sheet
    return not drawn or one_a_part(route.destination)


_LIFTED = {
    "largest_side": ("size", "Give its images back what {} texels a side took"),
    "file_kind": ("file", "Give its images files of the destination's own kind"),
    "triangles": ("triangles", "Give it back the triangles above {}"),
    "drawn_together": ("slots", "Give each slot a material of its own again"),
}
