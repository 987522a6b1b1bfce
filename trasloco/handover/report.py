"""A report that a colleague reads without the program: one HTML page with everything in it."""

from __future__ import annotations

import base64
from collections import Counter
from html import escape

from trasloco.fit.model import Carried
from trasloco.handover.packing import Package
from trasloco.handover.packing_list import human_size
from trasloco.proof.proving import Proof
from trasloco.render.picture import displayed
from trasloco.scene.findings import Finding
from trasloco.scene.images import encode
from trasloco.scene.inputs import INPUTS
from trasloco.sheets.model import Sheet

_STYLE = "body{font:14px/1.5 sans-serif;background:#f3f2ef;color:#22241f;max-width:60rem;margin:2rem auto;padding:0 1rem}h1{font-size:1.5rem}h2{font-size:1.1rem;border-top:1px solid #d8d6d0;padding-top:1rem}table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:.25rem .5rem;border-bottom:1px solid #d8d6d0;vertical-align:top}img{max-width:100%;background:#777}figure{margin:0}.pair{display:grid;grid-template-columns:1fr 1fr;gap:8px}.big{font-size:2.4rem;font-weight:700}"


def write_report(carried: Carried, package: Package, findings: list[Finding], source: Sheet, destination: Sheet, proof: Proof | None = None) -> str:
    """HTML with the verdict, what was mended, what was approximated or lost, and the proof pictures when there are any."""
    plan = carried.plan
    counts = Counter(crossing.mark for crossing in plan.crossings)
    parts = [f"<!doctype html><html lang=en><meta charset=utf-8><title>{escape(carried.scene.name)} to {escape(destination.name)}</title><style>{_STYLE}</style>"]
    parts.append(f"<h1>{escape(carried.scene.name)}: {escape(source.name)} to {escape(destination.name)}</h1>")
    if proof is not None:
        parts += _proof_part(proof)
    parts.append(f"<h2>What was carried</h2><p>{len(plan.crossings)} inputs: {', '.join(f'{counts[m]} {m}' for m in ('exact', 'close', 'lost', 'blocked') if counts[m])}. {len(package.files)} files, {human_size(package.size_bytes)}.</p>")
    parts.append("<h2>What was mended</h2>" + _table([(f.title, f.where, f.consequence) for f in findings if f.state == "mended"], "Nothing needed mending."))
    parts.append("<h2>What stays open or was accepted</h2>" + _table([(f"{f.title} ({f.state})", f.where, f.consequence) for f in findings if f.state != "mended"], "Nothing."))
    names = {m.id: m.name for m in carried.scene.materials.values()}
    rows = [(names.get(c.material, c.material), f"{c.label} → {INPUTS[c.landing.input].label if c.landing.input else 'no such input'}", f"{c.mark}: {c.reason}") for c in plan.crossings if c.mark != "exact"]
    parts.append("<h2>What is close, lost or blocked</h2>" + _table(rows, "Everything arrives exactly."))
    return "".join(parts)


def _proof_part(proof: Proof) -> list[str]:
    worst = proof.worst.comparison
    parts = [f"<p><span class=big>ΔE {worst.mean:.1f}</span> {escape(proof.verdict)}. 95 % below {worst.p95:.1f}, noise {worst.noise:.1f}.</p>"]
    for one in proof.views:
        before, after = (base64.b64encode(encode(displayed(p.radiance, one.ev100), "png")).decode() for p in (one.reference, one.arrival))
        parts.append(f"<div class=pair><figure><img alt='reference' src='data:image/png;base64,{before}'><figcaption>{escape(one.view.name)}, reference</figcaption></figure><figure><img alt='arrival' src='data:image/png;base64,{after}'><figcaption>arrival, ΔE {one.comparison.mean:.1f}</figcaption></figure></div>")
    return parts


def _table(rows: list[tuple[str, str, str]], nothing: str) -> str:
    if not rows:
        return f"<p>{nothing}</p>"
    return "<table>" + "".join("<tr>" + "".join(f"<td>{escape(cell)}</td>" for cell in row) + "</tr>" for row in rows) + "</table>"


