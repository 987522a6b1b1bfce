"""A report that a colleague reads without the program: one HTML page with everything in it."""

from __future__ import annotations

import base64
from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

from trasloco.accounts.model import BOOKINGS, KINDS, Accounts
from trasloco.accounts.telling import summed_up
from trasloco.fit.model import Carried
from trasloco.handover.packing import Package
from trasloco.handover.packing_list import human_size
from trasloco.proof.proving import Proof
from trasloco.render.picture import WHITE_POINT, displayed
from trasloco.scene.findings import Finding
from trasloco.scene.images import encode
from trasloco.sheets.model import Sheet

_STYLE = "body{font:14px/1.5 sans-serif;background:#f3f2ef;color:#22241f;max-width:60rem;margin:2rem auto;padding:0 1rem}h1{font-size:1.5rem}h2{font-size:1.1rem;border-top:1px solid #d8d6d0;padding-top:1rem}table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:.25rem .5rem;border-bottom:1px solid #d8d6d0;vertical-align:top}img{max-width:100%;background:#777}figure{margin:0}.pair{display:grid;grid-template-columns:1fr 1fr;gap:8px}.big{font-size:2.4rem;font-weight:700}"


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
    plan = carried.plan
    parts = [
        f"<!doctype html><html lang=en><meta charset=utf-8><title>{escape(carried.scene.name)} to {escape(destination.name)}</title><style>{_STYLE}</style>"
    ]
    parts.append(
        f"<h1>{escape(carried.scene.name)}: {escape(source.name)} to {escape(destination.name)}</h1>"
    )
    if proof is not None:
        parts += _proof_part(proof)
    parts.append(
        f"<h2>What was sent, and what arrived</h2><p>{len(package.files)} files, {human_size(package.size_bytes)}, read back from their bytes.</p>"
    )
    parts += _accounts_part(accounts) if accounts is not None else []
    parts.append(
        "<h2>What was mended</h2>"
        + _table(
            [(f.title, f.where, f.consequence) for f in findings if f.state == "mended"],
            "Nothing needed mending.",
        )
    )
    parts.append(
        "<h2>What stays open or was accepted</h2>"
        + _table(
            [(f"{f.title} ({f.state})", f.where, f.consequence) for f in findings if f.state != "mended"],
            "Nothing.",
        )
    )
    if destination.after_effects:
        rows = [(effect.name, effect.off or effect.does, "") for effect in destination.after_effects]
        parts.append("<h2>To switch off there, since it was judged without</h2>" + _table(rows, ""))
    if plan.geometry:
        parts.append("<h2>On the way</h2>" + _table([(step.text, "", "") for step in plan.geometry], ""))
    return "".join(parts)


def _accounts_part(accounts: Accounts) -> list[str]:
    """One balance, a line a kind, and whatever did not arrive as it was sent."""
    counted = accounts.counted()
    balance = ", ".join(
        f"<b>{counted[mark]}</b> {mark}"
        for mark in BOOKINGS
        if counted[mark] or mark in ("exact", "unaccounted")
    )
    parts = [f"<p>{len(accounts.entries)} sent: {balance}.</p>"]
    rows = [
        (KINDS[kind], str(len(accounts.of(kind))), summed_up(accounts.of(kind)) or "as sent")
        for kind in KINDS
        if accounts.of(kind)
    ]
    parts.append(_table(rows, ""))
    order = {mark: k for k, mark in enumerate(("unaccounted", "blocked", "lost", "close"))}
    told = sorted((e for e in accounts.entries if e.mark != "exact"), key=lambda e: order[e.mark])
    lines = [(e.title, f"{e.sent} → {e.arrived}", f"{e.mark}: {e.reason}") for e in told]
    return [
        *parts,
        "<h2>What did not arrive as it was sent</h2>",
        _table(lines, "Everything arrived as it was sent."),
    ]


@dataclass(frozen=True)
class ShownProof:
    """A proof as a report shows it: a figure in words, and of each view its name, its ΔE and both pictures as
    PNG.
    """

    headline: str
    words: str
    views: tuple[tuple[str, float, bytes, bytes], ...]


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
        )
        for one in proof.views
    )
    return ShownProof(f"ΔE {worst.judged:.1f}", "; ".join(words), views)  # type: ignore[arg-type]


def _proof_part(proof: ShownProof) -> list[str]:
    parts = [f"<p><span class=big>{escape(proof.headline)}</span> {escape(proof.words)}.</p>"]
    for name, delta_e, *pictures in proof.views:
        before, after = (base64.b64encode(png).decode() for png in pictures)
        parts.append(
            f"<div class=pair><figure><img alt='reference' src='data:image/png;base64,{before}'><figcaption>{escape(name)}, reference</figcaption></figure>"
            f"<figure><img alt='arrival' src='data:image/png;base64,{after}'><figcaption>arrival, ΔE {delta_e:.1f}</figcaption></figure></div>"
        )
    return parts


def _table(rows: list[tuple[str, str, str]], nothing: str) -> str:
    if not rows:
        return f"<p>{nothing}</p>"
    return (
        "<table>"
        + "".join("<tr>" + "".join(f"<td>{escape(cell)}</td>" for cell in row) + "</tr>" for row in rows)
        + "</table>"
    )
