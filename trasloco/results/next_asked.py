"""What an artist will most likely ask for next, made before they do."""

from __future__ import annotations

from trasloco.progress import Progress, part_of
from trasloco.results.opening import expected_aspect, still
from trasloco.results.route import Route


def make_ready(route: Route, report: Progress) -> None:
    """The plan of a move, its images and its package, so that a proof has only to be drawn; then what is seen
    first when it is opened again.

    Light that is to be written down is not baked unasked. ``report`` may raise to stop: what was made by then
    is kept.
    """
    if not route.wish.wanted and not route.has_package():
        route.plan(part_of(report, 0, 0.4))
        route.carried(part_of(report, 0.4, 0.8))
        route.package(part_of(report, 0.8, 0.9))
    still(route, "mended", expected_aspect(route.store), part_of(report, 0.9, 1))
