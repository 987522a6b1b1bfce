"""``trasloco move``."""

from __future__ import annotations

import json
import sys
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from rich.table import Table

from trasloco.accounts.model import Booking
from trasloco.accounts.telling import accounts_json, unanswered
from trasloco.commands.opened import opened
from trasloco.commands.telling import OUT, watching
from trasloco.decisions.kinds import on_the_wire
from trasloco.errors import Refused
from trasloco.handover.on_disk import put
from trasloco.handover.packing_list import human_size
from trasloco.handover.report import shown_proof
from trasloco.proof.figure import Figure
from trasloco.proof.proving import Proof
from trasloco.render.picture import Quality
from trasloco.results.delivering import delivered, papers_of
from trasloco.results.one_look import looked_at
from trasloco.results.proving import CLOSEST, WIDEST, most_samples
from trasloco.results.route import Route
from trasloco.summary import plan_json, proof_json


def moved(
    sources: list[Path],
    source: str,
    to: str,
    out: Path,
    decisions: Path | None,
    proof: bool,
    within: float | None,
    meant: bool,
    as_json: bool,
) -> int:
    """Carry a delivery and write its package; the exit code. ``within`` proves it to so much ΔE."""
    if within is not None and not CLOSEST <= within <= WIDEST:
        raise Refused(
            "No proof is known to that.", f"--within {within:g}", f"Give a ΔE from {CLOSEST:g} to {WIDEST:g}."
        )
    route = opened(sources, source, to, decisions)
    made, reference = route.decisions, route.reference()
    with watching("Fit") as report:
        route.plan(report)
    with watching("Carry") as report:
        route.carried(report)
    if route.wish.wanted:
        with watching("Light") as report:
            route.baked(report)
    carried, package, accounts = route.landed(), route.package(), route.accounts()
    still = unanswered(accounts, made)
    if still and not meant:
        for entry in still:
            print(
                f"unaccounted: {entry.title}: {entry.sent} → {entry.arrived} ({entry.reason})",
                file=sys.stderr,
            )
        print(
            f"{len(still)} unaccounted; nothing was written. Mend the cause, decide that they are meant, or give --meant.",
            file=sys.stderr,
        )
        return 1
    proved = _proved(route, within) if proof or within is not None else None
    shown = shown_proof(proved) if proved is not None else None
    with watching("Delivery") as report:
        delivery = delivered(route, shown, report, meant=meant)
    out = put(out, {**package.files, **papers_of(delivery)})
    counted = accounts.counted()
    if as_json:
        files = {path: len(data) for path, data in package.files.items()}
        document: dict[str, Any] = {
            "out": str(out),
            "files": files,
            "plan": plan_json(carried.plan, carried.scene),
            "accounts": accounts_json(accounts, made),
            "decisions": [on_the_wire(d) for d in made],
        }
        if proved is not None:
            document["proof"] = proof_json(proved, reference)
        print(json.dumps(document, indent=1))
    else:
        _tell(counted, len(package.files), package.size_bytes, out, proved)
    dark = proved is not None and proved.stand_in
    return 1 if counted["lost"] or counted["blocked"] or counted["unaccounted"] or dark else 0


def _proved(route: Route, within: float | None) -> Proof:
    quality = Quality() if within is None else Quality(samples=most_samples(within))
    with watching("Proof") as report:
        return looked_at(route, quality, report, within or 0.0)


def _tell(counted: Mapping[Booking, int], files: int, size: int, out: Path, proved: Proof | None) -> None:
    table = Table("arrived", "count", box=None)
    for mark, count in counted.items():
        table.add_row(mark, str(count))
    OUT.print(table)
    OUT.print(f"{files} files, {human_size(size)}, in {out}", highlight=False)
    if proved is None:
        return
    found = proved.worst.comparison
    OUT.print(f"ΔE {found.judged:.1f}, {proved.verdict} (view {proved.worst.view.name})", highlight=False)
    OUT.print(
        f"  subject {_between(found.subject)}, whole frame {_between(found.frame)}, noise taken off ({found.noise:.1f})",
        highlight=False,
    )
    if found.worst_material is not None:
        OUT.print(
            f"  worst material: {found.worst_material.id.partition(':')[2]} {_between(found.worst_material.figure)}",
            highlight=False,
        )
    if proved.stand_in:
        OUT.print("  Nothing lights this scene; both sides were seen in a stand-in light.", highlight=False)
    for one in proved.unseen:
        OUT.print(f"  not shown: {one}", highlight=False)


def _between(figure: Figure) -> str:
    return f"{figure.value:.2f} ({figure.low:.2f} to {figure.high:.2f})"
