"""A move in a few words: for the desk, the route beside every stop, and its last job.

Told words are kept with the move, so that a desk of many computes nothing.
"""

from __future__ import annotations

import json
import logging
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.db.models import Count, Max, Q
from django.utils import timezone

from server.accounts.access import level_of, visible
from server.holding import holder
from server.moves.bench import Bench
from server.moves.models import Job, Move, ProofRow, Share
from server.moves.undoing import can
from trasloco.results.delivering import unaccounted_words
from trasloco.results.pages.keys import page_keys

SILENT_S = 20.0
log = logging.getLogger(__name__)


def current_state(job: Job) -> str:
    """The state; a running job that has been silent while nobody works is shown as stopped."""
    if (
        job.state == Job.State.RUNNING
        and job.beat is not None
        and timezone.now() - job.beat > timedelta(seconds=SILENT_S)
        and holder(settings.DATA_DIR, "work") is None
    ):
        return Job.State.STOPPED
    return str(job.state)


def seconds_left(job: Job) -> float | None:
    """By the pace so far; None while too little is known."""
    if job.state != Job.State.RUNNING or job.started is None or job.fraction < 0.03:
        return None
    elapsed = (timezone.now() - job.started).total_seconds()
    return elapsed * (1 - job.fraction) / job.fraction


def job_out(job: Job) -> dict[str, Any]:
    """A job as it is shown."""
    state = current_state(job)
    message = (
        job.message
        if state != Job.State.STOPPED
        else "The worker stopped before this was done. Run it again."
    )
    return {
        "id": job.id,
        "kind": job.kind,
        "state": state,
        "fraction": job.fraction,
        "message": message,
        "seconds_left": seconds_left(job),
        "refusal": job.refusal,
        "result": job.result,
    }


def move_out(move: Move, person: User | None = None) -> dict[str, Any]:
    """A move with its last job, and what the person who asks may do. What is told of it is kept for the desk."""
    job = move.jobs.order_by("-id").first()
    return {
        **tell(move),
        **can(move, person),
        "may": level_of(person, move) or "look",
        "job": job_out(job) if job else None,
    }


def beat(move: Move) -> str:
    """Another word whenever something of a move changes that others may have done."""
    decided = move.decisions.aggregate(last=Max("id"), undone=Count("id", filter=Q(undone=True)))
    job = move.jobs.order_by("-id").values_list("id", "state").first()
    revision = move.revisions.aggregate(last=Max("number"))["last"]
    proved = move.proofs.aggregate(last=Max("updated"))["last"]
    return (
        f"{decided['last']} {decided['undone']} {revision} {job} {proved} {move.source} {move.destination} "
        f"{move.name}"
    )


def desk_json(person: User | None = None) -> str:
    """All moves a person sees as they were told last, newest first, each with its last job as it is now."""
    moves = visible(person).filter(deleted=None)
    last = moves.annotate(last=Max("jobs__id")).values_list("last", flat=True)
    jobs = {job.move_id: job for job in Job.objects.filter(id__in=[id for id in last if id is not None])}
    rows = []
    levels = dict(Share.objects.filter(person=person).values_list("move_id", "level")) if person else {}
    for id, told in moves.values_list("id", "told"):
        text = told or json.dumps(_told_safely(Move.objects.get(id=id)))
        may = json.dumps(levels.get(id, "own"))
        rows.append(
            f'{text[:-1]}, "may": {may}, "job": {json.dumps(job_out(jobs[id])) if id in jobs else "null"}}}'
        )
    return f"[{', '.join(rows)}]"


def tell(move: Move) -> dict[str, Any]:
    """A move in words, kept with it."""
    told = _told(move)
    text = json.dumps(told)
    if text != move.told:
        Move.objects.filter(id=move.id).update(told=text)
        move.told = text
    return told


def _told_safely(move: Move) -> dict[str, Any]:
    """A move in words, whatever is the matter with it: one that is damaged never hurts the desk."""
    try:
        return tell(move)
    except Exception:
        log.exception("move %s cannot be told", move.id)
        what = "Something of this move is damaged; it is written in the server's log."
        remedy = "The others are untouched. Take its files and begin it again, or bring a backup back."
        return {
            **_unknown(move),
            "refusal": {"what": what, "where": move.name, "remedy": remedy},
        }


def _unknown(move: Move) -> dict[str, Any]:
    """A move of which nothing is known but its name."""
    return {
        "id": move.id,
        "name": move.name,
        "source": move.source,
        "destination": move.destination,
        "revision": 0,
        "ready": False,
        "refusal": None,
        "stops": None,
        "picture": None,
        "verdict": None,
        "mean": None,
        "marks": None,
        "worst": "",
        "keys": {},
        "can_undo": False,
        "can_redo": False,
    }


def _told(move: Move) -> dict[str, Any]:
    revision = move.revisions.order_by("-number").first()
    bench = Bench(move) if revision and revision.received else None
    if bench is not None and not bench.is_read():
        bench = None
    proof = move.proofs.order_by("-number").first()
    handed = move.handovers.order_by("-number").first()
    picture = (
        next(iter(proof.pictures.values()))["reference"]
        if proof
        else (revision.picture if revision and revision.picture else None)
    )
    return {
        **_unknown(move),
        "revision": revision.number if revision else 0,
        "ready": bench is not None,
        "refusal": revision.refusal if revision else None,
        "stops": _stops(bench) if bench else None,
        "picture": picture,
        "verdict": proof.figures["verdict"] if proof else None,
        "mean": proof.figures.get("judged", proof.figures["mean"]) if proof else None,
        "marks": handed.marks if handed is not None else None,
        "worst": ((proof.figures.get("worst_material") or {}).get("name", "")) if proof else "",
        "keys": _keys(bench, proof) if bench else {},
        "can_undo": move.decisions.filter(undone=False).exists(),
        "can_redo": move.decisions.filter(undone=True).exists(),
    }


def _keys(bench: Bench, proof: ProofRow | None) -> dict[str, str]:
    """What each page says changes with its key; a proof becomes better known by itself."""
    keys = {page: key[:16] for page, key in page_keys(bench).items()}
    return {**keys, "proofs": f"{keys['proofs']} {proof.updated:%H%M%S%f}"} if proof else keys


def _stops(bench: Bench) -> dict[str, Any]:
    """The route's words. Only what is already computed is told; nothing is started for them."""
    findings = bench.known_findings()
    still_open, mended = (sum(f.state == state for f in findings or ()) for state in ("open", "mended"))
    move = bench.move
    proof, handed = move.proofs.order_by("-number").first(), move.handovers.count()
    fit, idle = "not looked at", bench.known_idle()
    plan = bench.known_plan()
    if plan is not None:
        to_decide = sum(c.mark == "blocked" for c in plan.crossings)
        lost = sum(c.mark == "lost" for c in plan.crossings)
        fit = f"{to_decide} to decide" if to_decide else f"{lost} lost" if lost else "all carried"
    surveyed = (
        "not looked at" if findings is None else f"{still_open} open" if still_open else f"{mended} mended"
    )
    return {
        "inventory": surveyed + (f" · {len(idle)} idle" if idle else ""),
        "fit": fit,
        "light": bench.revision.lights,
        "proof": f"ΔE {proof.figures.get('judged', proof.figures['mean']):.1f}"
        + ("" if proof.plan == bench.landed_name.inputs else " last time")
        if proof
        else "not yet",
        "handover": _handed(bench, handed),
        "open_findings": still_open,
        "idle": None if idle is None else len(idle),
    }


def _handed(bench: Bench, handed: int) -> str:
    """What is delivered, or what keeps it from being so."""
    known = bench.known_accounts()
    kept = unaccounted_words(known, bench) if known is not None else ""
    return kept or (f"{handed} delivered" if handed else "none yet")
