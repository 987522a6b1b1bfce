"""What each page of a move is made of, as keys: a page whose key stays the same says the same."""

from __future__ import annotations

from trasloco.decisions.kinds import KINDS
from trasloco.results.route import Route
from trasloco.scene.digest import digest
from trasloco.scene.model import Decision


def page_keys(route: Route) -> dict[str, str]:
    """By page. Nothing is computed for them but names of results.

    What stands beside a result (whether it is made, lightmaps, rows of proofs and handovers) is not in them.
    """
    scene, everything = route.reference_name.key, digest(route.decisions)
    shown = digest(route.settled_name.key, scene, route.findings_name.key, _told_of_findings(route.decisions))
    planned = digest(route.landed_name.key, shown, route.planned_by())
    lit = digest(planned, everything)
    return {
        "inventory": shown,
        "again": route.again_name.key,
        "fit": planned,
        "families": shown,
        "siblings": shown,
        "shelf": shown,
        "paint": planned,
        "collision": shown,
        "light": lit,
        "lit": digest(shown, route.as_received_name.key, route.arrival_name.key, everything),
        "mix": lit,
        "lightmaps": lit,
        "proofs": lit,
        "accounts": digest(route.accounts_name.key, everything),
        "handovers": route.landed_name.key,
        "packing-list": digest(shown, everything, route.destination.name),
        "decisions": everything,
    }


def _told_of_findings(decisions: list[Decision]) -> list[Decision]:
    """Decisions that mends of findings could be, or that say something of findings: all but those that only
    light, proof or plan read.
    """
    alone = frozenset({"light", "proof", "plan"})
    return [
        d
        for d in decisions
        if d.field not in KINDS or KINDS[d.field].does or not KINDS[d.field].read_by <= alone
    ]
