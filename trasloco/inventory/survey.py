"""The survey: every check over the scene, ranked, with what was already decided about each finding."""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from dataclasses import replace

from trasloco.decisions.kinds import read_by
from trasloco.inventory.checks import GEOMETRY, MESHES, STRUCTURE, TEXELS
from trasloco.inventory.context import Check, Context
from trasloco.inventory.natures import with_natures
from trasloco.limits import LIMITS
from trasloco.mends.settling import decided, settle
from trasloco.meshes.topology import edges_of
from trasloco.progress import Progress, silent
from trasloco.scene.findings import Finding, FindingState
from trasloco.scene.model import Decision, Scene
from trasloco.sheets.model import Sheet


def notice(
    scene: Scene,
    source: Sheet,
    destination: Sheet,
    decisions: Sequence[Decision],
    progress: Progress = silent,
    first: bool = False,
) -> list[Finding]:
    """All findings about a received scene, open, most costly first. Of the decisions only unit, axis and how
    vertex colours are stored matter here.

    ``first`` asks only what the structure tells, without a pass over faces, texels or rays.
    """
    kept = read_by(decisions, "survey")
    context = Context(scene, settle(scene, source, kept), source, destination, kept)
    found: list[Finding] = []
    if not first:
        _ = context.looking  # images are decoded by other threads while this one walks the geometry
        found.extend(_mesh_by_mesh(context, progress))
    checks = STRUCTURE if first else [*STRUCTURE, *GEOMETRY, *TEXELS]
    for number, check in enumerate(checks):
        progress(
            (number if first else len(checks) + number) / (len(checks) * (1 if first else 2)),
            _title(check),
        )
        found.extend(_within_budget(check(context), _title(check)))
    return with_natures(sorted(found, key=lambda finding: -finding.weight))


def _mesh_by_mesh(context: Context, progress: Progress) -> Iterator[Finding]:
    """What the edges tell: they weigh several times as much as the mesh, so only one mesh's are held at a
    time.
    """
    until = time.monotonic() + LIMITS.check_seconds
    for number, (mesh, _) in enumerate(context.users.items()):
        progress(0.5 * number / len(context.users), f"edges of {context.scene.meshes[mesh].name}")
        if time.monotonic() > until:
            yield _not_looked_at(f"{len(context.users) - number} of {len(context.users)} meshes")
            return
        edges = [edges_of(primitive) for primitive in context.scene.meshes[mesh].primitives]
        for check in MESHES:
            yield from check(context, mesh, edges)


def _title(check: Check) -> str:
    return getattr(check, "__name__", "check").replace("_", " ")


def _within_budget(findings: Iterator[Finding], title: str) -> Iterator[Finding]:
    """What a check finds in the time that one may take; past that, that it did not look at everything."""
    until = time.monotonic() + LIMITS.check_seconds
    for finding in findings:
        yield finding
        if time.monotonic() > until:
            yield _not_looked_at(title)
            return


def _not_looked_at(what: str) -> Finding:
    return Finding(
        f"not_looked_at:{what}",
        "not_looked_at",
        "Not looked at: too many",
        what,
        "Looking took longer than one check may. What it would have found is not told. Leave parts out, or "
        "send them apart.",
        weight=55,
    )


def with_states(findings: Sequence[Finding], decisions: Sequence[Decision]) -> list[Finding]:
    """Findings as mended, accepted or open by what was decided."""
    return [replace(finding, state=_state(finding, decisions)) for finding in findings]


def _state(finding: Finding, decisions: Sequence[Decision]) -> FindingState:
    for mend in finding.mends:
        if mend.decisions and all(
            (made := decided(decisions, d.target, d.field)) is not None and made.value == d.value
            for d in mend.decisions
        ):
            return "mended"
    made = decided(decisions, finding.id, "accept")
    if made is not None and made.value:
        return "accepted"
    if finding.kind == "missing_image" and decided(decisions, finding.targets[0], "relink") is not None:
        return "mended"
    if (
        finding.targets
        and finding.kind in ("faces_away", "stray", "duplicate", "duplicate_set")
        and (left := decided(decisions, finding.targets[0], "include")) is not None
        and left.value is False
    ):
        return "mended"
    return "open"
