"""Of what nature each mend is: a repair that cannot change what was meant, a guess at what the file leaves
open, or a matter of taste.

All at once means repairs. Whatever is not named here is a guess: it waits to be looked at, with its evidence.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from trasloco.scene.findings import Finding, Nature

REPAIRS = frozenset(
    {
        "broken_keys",
        "skin_weights",
        "degenerate",
        "short_normals",
        "uv_distant",
        "illegal_names",
        "long_names",
        "mirrored",
        "opaque_alpha",
    }
)
"""Kinds of finding whose first mend repairs: what it changes says nothing, or nothing that can be read."""
TASTE = frozenset(
    {"automatic_names", "double_names", "case_names", "far_pivot", "uneven", "close_ids", "far_from_origin"}
)
_SURE_BACK, _SURE_FRONT = 0.6, 0.05
"""Shares of the outside that a piece sees from its back and its front, from which on turning it is no guess:
it is closed, and looks in.
"""


def nature_of(finding: Finding) -> Nature:
    """The nature of a finding's first mend."""
    if finding.kind in REPAIRS:
        return "repair"
    if finding.kind in TASTE:
        return "taste"
    if finding.kind == "faces_away":
        sure = (
            finding.evidence.get("seen_from_back", 0) >= _SURE_BACK
            and finding.evidence.get("seen_from_front", 1) <= _SURE_FRONT
        )
        return "repair" if sure else "guess"
    if finding.kind == "overlap":
        return "repair" if len(finding.targets) == 1 else "guess"
    return "guess"


def with_natures(findings: Sequence[Finding]) -> list[Finding]:
    """Findings whose mends say of what nature they are; other ways than the first are never repairs."""
    made = []
    for finding in findings:
        first = nature_of(finding)
        mends = tuple(
            replace(mend, nature=first if k == 0 or first == "taste" else "guess")
            for k, mend in enumerate(finding.mends)
        )
        made.append(replace(finding, mends=mends))
    return made
