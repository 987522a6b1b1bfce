"""A report that a colleague reads without the program: one HTML page with everything in it."""

from __future__ import annotations

import base64
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from jinja2 import Environment, FileSystemLoader, StrictUndefined

from trasloco.accounts.model import BOOKINGS, KINDS, Accounts
from trasloco.accounts.telling import summed_up
from trasloco.fit.model import Carried
from trasloco.handover.for_the_sender import notes_for
from trasloco.handover.how_to_import import steps_of
from trasloco.handover.packing import Package
from trasloco.handover.packing_list import human_size
from trasloco.proof.picturing import difference_png
from trasloco.proof.proving import Proof
from trasloco.render.exposure import WHITE_POINT, displayed
from trasloco.scene.findings import Finding
from trasloco.scene.images import encode
from trasloco.scene.measure_ramp import SCALE_TOP
from trasloco.sheets.model import Sheet

_PAGE = Environment(
    loader=FileSystemLoader(Path(__file__).parent), autoescape=True, undefined=StrictUndefined
)
_PAGE.filters["base64"] = lambda data: base64.b64encode(data).decode()


def write_report(
    carried: Carried,
    package: Package,
    findings: list[Finding],
    source: Sheet,
    destination: Sheet,
    proof: ShownProof | None = None,
    accounts: Accounts | None = None,
) -> str:
    """HTML with the verdict, what was mended, what was approximated or lost, and the proof pictures when
    there are any.
    """
    return _PAGE.get_template("report.html").render(
        name=carried.scene.name,
        source=source.name,
        destination=destination.name,
        proof=proof,
        files=len(package.files),
        size=human_size(package.size_bytes),
        books=_books(accounts) if accounts is not None else None,
        mended=[(f.title, f.where, f.consequence) for f in findings if f.state == "mended"],
        open=[(f"{f.title} ({f.state})", f.where, f.consequence) for f in findings if f.state != "mended"],
        effects=[(effect.name, effect.off or effect.does) for effect in destination.after_effects],
        geometry=[(step.text,) for step in carried.plan.geometry],
        ink=SCALE_TOP,
        steps=steps_of(package.files, carried.scene, destination),
        sender=[
            (f"{one.title}{', only there' if one.only_there else ''}", one.where, f"{one.there} ({one.here})")
            for one in notes_for(findings)
        ],
    )


def _books(accounts: Accounts) -> dict[str, Any]:
    """One balance, a line a kind, and whatever did not arrive as it was sent."""
    counted = accounts.counted()
    order = {mark: k for k, mark in enumerate(("unaccounted", "blocked", "lost", "close"))}
    told = sorted((e for e in accounts.entries if e.mark != "exact"), key=lambda e: order[e.mark])
    return {
        "sent": len(accounts.entries),
        "balance": [
            (mark, counted[mark]) for mark in BOOKINGS if counted[mark] or mark in ("exact", "unaccounted")
        ],
        "kinds": [
            (KINDS[kind], len(accounts.of(kind)), summed_up(accounts.of(kind)) or "as sent")
            for kind in KINDS
            if accounts.of(kind)
        ],
        "told": [(e.title, f"{e.sent} → {e.arrived}", f"{e.mark}: {e.reason}") for e in told],
    }


@dataclass(frozen=True)
class ShownProof:
    """A proof as a report shows it: a figure in words; of each view its name, its ΔE, and PNG of both
    pictures and of their difference; what is to blame, each with its share of the difference in words.
    """

    headline: str
    words: str
    views: tuple[tuple[str, float, bytes, bytes, bytes], ...]
    causes: tuple[tuple[str, str], ...] = ()


def judged_at(values: Sequence[float]) -> str:
    """The exposure that the pictures were judged at, and the curve they were shown through."""
    low, high = min(values), max(values)
    told = f"EV {low:.1f}" if high - low < 0.05 else f"EV {low:.1f} to {high:.1f}"
    return f"judged at {told} (ISO 100), both sides through the tone curve L (1 + L / {WHITE_POINT:g}²) / (1 + L) on luminance"


def shown_proof(proof: Proof) -> ShownProof:
    """A proof that was just made."""
    worst = proof.worst.comparison
    material = worst.worst_material
    words = [
        proof.verdict,
        f"subject ΔE {worst.subject.value:.1f}",
        f"whole frame {worst.frame.value:.1f}",
        *([f"worst material {material.figure.value:.1f}"] if material is not None else []),
    ]
    words += ["seen in a stand-in light, since nothing lights the scene"] if proof.stand_in else []
    words += [judged_at([one.ev100 for one in proof.views])]
    words += [f"not shown: {one}" for one in proof.unseen]
    views = tuple(
        (
            one.view.name,
            one.comparison.judged,
            *(encode(displayed(p.radiance, one.ev100), "png") for p in (one.reference, one.arrival)),
            difference_png(one.comparison.delta_e),
        )
        for one in proof.views
    )
    return ShownProof(f"ΔE {worst.judged:.1f}", "; ".join(words), views)  # type: ignore[arg-type]
