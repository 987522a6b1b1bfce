"""What a view is about: what comes along and nothing proposes to leave behind."""

from __future__ import annotations

from collections.abc import Sequence

from trasloco.results.route import Route
from trasloco.scene.extent import part_bounds, shells
from trasloco.scene.findings import Finding
from trasloco.scene.model import Doubles, Scene


def subject_of(route: Route, scene: Scene) -> dict[str, Doubles]:
    """World boxes (2, 3) in metres of the parts of a side that are its subject, by id: all but the sky, and what
    an open finding proposes to leave behind; everything where that leaves nothing.
    """
    boxes = part_bounds(scene)
    known = route.known_findings()
    beside = _left(route.first_findings() if known is None else known) | shells(scene, boxes)
    return {id: box for id, box in boxes.items() if id not in beside} or boxes


def _left(found: Sequence[Finding]) -> set[str]:
    """Parts that an open finding proposes to leave behind."""
    return {
        decision.target
        for finding in found
        if finding.state == "open" and finding.mends
        for decision in finding.mends[0].decisions
        if decision.field == "include" and decision.value is False
    }
