"""Long work: receive, deliver, prove.

Each job reports progress with a beat, can be cancelled, and says so when its worker died.
"""

from __future__ import annotations

import io
import logging
import os
import threading
import time
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import asdict, replace
from typing import Any

from django.db import close_old_connections, transaction
from django.utils import timezone
from django_tasks import task

from server.moves.bench import Bench
from server.moves.desk import tell
from server.moves.mixing import render_layers
from server.moves.models import Handover, Job, Move, ProofRow
from server.moves.store import get_blob, put_blob
from trasloco import move as verbs
from trasloco.accounts.telling import account_lines, unanswered
from trasloco.decisions.wording import last_words
from trasloco.errors import Cancelled, Refused
from trasloco.handover.packing_list import packing_list
from trasloco.handover.report import ShownProof, judged_at, write_report
from trasloco.light.lightmaps.baking import Gathered
from trasloco.light.lightmaps.showing import early_png
from trasloco.progress import Progress, part_of
from trasloco.proof.picturing import difference_png, flip_png, picture_exr, picture_png, preview_png
from trasloco.proof.proving import Proof, Side, look_first
from trasloco.proof.sequence import frame_times
from trasloco.proof.staging import effects_of, exposure_of, limits_of, main_views, views_for
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, auto_ev100, render, views_of
from trasloco.scene.digest import digest
from trasloco.summary import causes_json, frame_json, proof_json

BEAT_S = 2.0
log = logging.getLogger(__name__)


def start(move: Move, kind: str, settings: dict[str, Any] | None = None) -> Job:
    """Queue a job. One of the same kind that still waits is answered instead of a second."""
    waiting = move.jobs.filter(kind=kind, state=Job.State.WAITING, settings=settings or {}).first()
    if waiting is not None:
        return waiting
    job = Job.objects.create(move=move, kind=kind, settings=settings or {})
    transaction.on_commit(lambda: run_job.enqueue(job.id))
    return job


def mark_orphans() -> int:
    """Jobs that were running when a worker starts belonged to one that died."""
    return Job.objects.filter(state=Job.State.RUNNING).update(
        state=Job.State.STOPPED,
        message="The worker stopped before this was done. Run it again.",
        finished=timezone.now(),
    )


@task()
def run_job(job_id: int) -> None:
    """Carry a job out in the worker."""
    execute(job_id)


def execute(job_id: int) -> None:
    job = Job.objects.filter(id=job_id).select_related("move").first()
    if job is None or job.state != Job.State.WAITING:
        return
    if job.cancel:
        Job.objects.filter(id=job_id).update(state=Job.State.CANCELLED, finished=timezone.now())
        return
    now = timezone.now()
    Job.objects.filter(id=job_id).update(state=Job.State.RUNNING, started=now, beat=now)
    over = threading.Event()
    heart = threading.Thread(target=_beat, args=(job_id, over), daemon=True)
    heart.start()
    ending: dict[str, Any]
    try:
        _WORK[job.kind](job, _reporter(job_id))
        ending = {"state": Job.State.DONE, "fraction": 1.0, "message": ""}
    except Cancelled:
        ending = {"state": Job.State.CANCELLED, "message": "Cancelled. Nothing was changed."}
    except Refused as refusal:
        ending = {
            "state": Job.State.REFUSED,
            "refusal": {"what": refusal.what, "where": refusal.where, "remedy": refusal.remedy},
        }
    except MemoryError:
        ending = {
            "state": Job.State.REFUSED,
            "refusal": {
                "what": "The machine has too little memory for this.",
                "where": job.kind,
                "remedy": "Leave parts out, or use smaller images.",
            },
        }
    except Exception:
        log.exception("job %s (%s) failed", job_id, job.kind)
        ending = {
            "state": Job.State.REFUSED,
            "refusal": {
                "what": "Something unexpected went wrong; it is written in the server's log.",
                "where": f"job {job_id}, {job.kind}",
                "remedy": "Nothing was lost. Run it again, or report it.",
            },
        }
    finally:
        over.set()
        heart.join()
    Job.objects.filter(id=job_id).update(finished=timezone.now(), **ending)
    if Move.objects.filter(id=job.move_id).exists():
        tell(job.move)


def _beat(job_id: int, over: threading.Event) -> None:
    while not over.wait(BEAT_S):
        Job.objects.filter(id=job_id).update(beat=timezone.now())
    close_old_connections()


def _reporter(job_id: int) -> Progress:
    last = [0.0]

    def report(fraction: float, message: str) -> None:
        now = time.monotonic()
        if now - last[0] < 0.25:
            return
        last[0] = now
        Job.objects.filter(id=job_id).update(
            fraction=min(max(fraction, 0.0), 1.0), message=message[:300], beat=timezone.now()
        )
        if Job.objects.filter(id=job_id, cancel=True).exists():
            raise Cancelled

    return report


def _receive(job: Job, report: Progress) -> None:
    bench = Bench(job.move)
    revision = bench.revision
    report(0.02, "reading files")
    try:
        bench.received()
    except Refused as refusal:
        revision.refusal = {"what": refusal.what, "where": refusal.where, "remedy": refusal.remedy}
        revision.save(update_fields=["refusal"])
        raise
    report(0.4, "preparing the view")
    bench.view_blob()
    revision.received, revision.refusal = bench.received_name.key, None
    revision.save()
    report(0.5, "surveying")
    bench.findings(part_of(report, 0.5, 0.9))
    report(0.9, "taking a first look")
    bench.idle()
    scene = bench.reference()
    look = render(flatten(scene), views_of(scene)[0], Quality(240, 135, 12, 2))
    revision.picture = put_blob(picture_png(look, auto_ev100(look.radiance)))
    revision.lights = (
        f"{len(scene.lights)} lights"
        if scene.lights
        else ("environment only" if scene.environment else "no light")
    )
    revision.save()


def _quality(settings: dict[str, Any]) -> Quality:
    def whole(name: str, default: int, low: int, high: int) -> int:
        value = settings.get(name, default)
        return min(max(int(value), low), high) if isinstance(value, int | float) else default

    most = os.cpu_count() or 1
    threads = max(most // 2, 1) if settings.get("share") == "half" else whole("threads", 0, 0, 64)
    return Quality(
        whole("width", 640, 16, 3840),
        whole("height", 360, 16, 2160),
        whole("samples", 32, 1, 4096),
        whole("bounces", 4, 0, 16),
        threads,
        float(whole("seconds", 0, 0, 86400)),
    )


_UNFINISHED: dict[str, dict[str, tuple[Picture | None, Picture | None]]] = {}
"""Pictures of the last proof as far as they got, by what they show: one that was cancelled, or is asked for
with more samples, goes on from them.
"""


def _prove(job: Job, report: Progress) -> None:
    bench = Bench(job.move)
    reference, quality = bench.reference(), _quality(job.settings)
    views = views_for(reference, bench.decisions)
    wanted = job.settings.get("view")
    named = [view for view in views if view.name == wanted]
    chosen = (
        views
        if wanted == "all"
        else named
        if named and named[0] is not views[0]
        else main_views(reference, views)
    )
    stand_in = bool(job.settings.get("stand_in"))
    ev100 = exposure_of(bench.decisions)
    limits, effects = limits_of(bench.decisions), effects_of(bench.decisions, bench.destination)
    key = digest(
        "proof",
        bench.landed_name.inputs,
        bench.proving_code,
        [asdict(view) for view in chosen],
        replace(quality, threads=0),
        ev100,
        limits,
        effects,
        stand_in,
    )
    same = next((row for row in job.move.proofs.all() if row.figures.get("key") == key), None)
    if same is not None:
        Job.objects.filter(id=job.id).update(result={"proof": same.id})
        return
    early: dict[str, dict[str, str]] = {}
    shown = digest("pictures", bench.landed_name.key, quality.width, quality.height, quality.bounces)
    if shown not in _UNFINISHED:
        _UNFINISHED.clear()
    begun = _UNFINISHED.setdefault(shown, {})
    resume = {
        name: pair
        for name, pair in begun.items()
        if all(one is None or one.samples <= quality.samples for one in pair)
    }

    def on_pass(view: str, side: Side, picture: Picture, ev: float) -> None:
        early.setdefault(view, {})[side] = put_blob(preview_png(picture, ev))
        Job.objects.filter(id=job.id).update(result={"pictures": early})

    def keep(view: str, side: Side, picture: Picture) -> None:
        before = begun.get(view, (None, None))
        begun[view] = (picture, before[1]) if side == "reference" else (before[0], picture)

    if not bench.has_package():
        look_first(flatten(reference), chosen[0], quality, ev100, on_pass)
    arrival = bench.arrival(part_of(report, 0, 0.25))
    proof = verbs.prove(
        reference,
        arrival,
        chosen,
        quality,
        ev100,
        limits,
        part_of(report, 0.25, 0.98),
        on_pass,
        resume,
        keep,
        effects,
        stand_in,
    )
    number = (job.move.proofs.order_by("-number").values_list("number", flat=True).first() or 0) + 1
    figures = {
        **proof_json(proof, reference),
        "key": key,
        "settings": job.settings,
        "effects": [effect.name for effect in effects],
    }
    row = ProofRow.objects.create(
        move=job.move,
        number=number,
        figures=figures,
        pictures=_kept_pictures(proof),
        plan=bench.landed_name.inputs,
        code=bench.proving_code,
    )
    Job.objects.filter(id=job.id).update(result={"pictures": early, "proof": row.id})


def _sequence(job: Job, report: Progress) -> None:
    """A clip as frames of both sides; each is kept as soon as it is there, also when the job is stopped."""
    bench = Bench(job.move)
    reference, settings = bench.reference(), job.settings
    views = views_for(reference, bench.decisions)
    view = next((one for one in views if one.name == settings.get("view")), views[0])
    clip, asked = str(settings.get("clip", "")), settings.get("rate")
    rate = float(asked) if isinstance(asked, int | float) and asked > 0 else 12.0
    frame_times(reference, clip, rate)
    arrival = bench.arrival(part_of(report, 0, 0.1))
    quality = _quality({"width": 320, "height": 180, "samples": 16, "bounces": 3, **settings})
    frames: list[dict[str, Any]] = []
    told = {
        "clip": clip,
        "clip_name": reference.clips[clip].name,
        "view": view.name,
        "rate": rate,
        "plan": bench.landed_name.inputs,
    }
    effects = effects_of(bench.decisions, bench.destination)
    for frame in verbs.prove_clip(
        reference,
        arrival,
        clip,
        view,
        rate,
        quality,
        exposure_of(bench.decisions),
        effects,
        part_of(report, 0.1, 1),
        bool(settings.get("stand_in")),
    ):
        pictures = {
            "reference": put_blob(picture_png(frame.reference, frame.ev100)),
            "arrival": put_blob(picture_png(frame.arrival, frame.ev100)),
            "difference": put_blob(difference_png(frame.comparison.delta_e)),
        }
        frames.append({**frame_json(frame), "pictures": pictures})
        Job.objects.filter(id=job.id).update(result={**told, "frames": frames})


def _causes(job: Job, report: Progress) -> None:
    """What the difference of a kept proof is made of; written beside its figures."""
    bench = Bench(job.move)
    row = job.move.proofs.filter(id=job.settings.get("proof")).first()
    if row is None:
        raise Refused("There is no such proof.", str(job.settings.get("proof")), "Reload the page.")
    if row.plan != bench.landed_name.inputs:
        raise Refused(
            "The plan has changed since this proof.",
            f"proof {row.number}",
            "Prove again, then ask what is to blame.",
        )
    reference = bench.reference()
    name = row.figures["worst_view"]
    view = next((one for one in views_for(reference, bench.decisions) if one.name == name), None)
    if view is None:
        raise Refused("The view of this proof is gone.", name, "Prove again from a view that is there.")
    told = next(one for one in row.figures["views"] if one["name"] == name)
    arrival = bench.arrival(part_of(report, 0, 0.1))
    found = verbs.blame(
        reference,
        arrival,
        bench.plan(),
        view,
        float(told["ev100"]),
        _quality(row.figures.get("settings", {})),
        part_of(report, 0.1, 1),
    )
    row.figures = {**row.figures, "causes": causes_json(found)}
    row.save(update_fields=["figures"])
    Job.objects.filter(id=job.id).update(result={"proof": row.id})


def _bake(job: Job, report: Progress) -> None:
    """Lightmaps; pictures of them as far as they are, meanwhile."""
    bench = Bench(job.move)
    if not bench.wish.wanted:
        raise Refused(
            "No light is to be written down.",
            bench.destination.name,
            "Ask for lightmaps first, or choose a destination that takes them.",
        )
    shown = [0.0]

    def on_pass(keys: Sequence[str], found: Sequence[Gathered]) -> None:
        if found and time.monotonic() - shown[0] > 1.5:
            shown[0] = time.monotonic()
            Job.objects.filter(id=job.id).update(
                result={"maps": [put_blob(early_png(one)) for one in found[:4]], "paths": found[0].samples}
            )

    bench.baked(report, on_pass, bool(job.settings.get("anew")))


def _mix(job: Job, report: Progress) -> None:
    """A view in the light of each lamp alone."""
    bench = Bench(job.move)
    wanted = str(job.settings.get("view") or "")
    Job.objects.filter(id=job.id).update(
        result={
            "mix": render_layers(
                bench, wanted, _quality({"width": 480, "height": 270, "samples": 48, **job.settings}), report
            )
        }
    )


def _kept_pictures(proof: Proof) -> dict[str, dict[str, str]]:
    return {
        one.view.name: {
            "reference": put_blob(picture_png(one.reference, one.ev100)),
            "arrival": put_blob(picture_png(one.arrival, one.ev100)),
            "difference": put_blob(difference_png(one.comparison.delta_e)),
            "flip": put_blob(flip_png(one.comparison.flip)),
            "reference_exr": put_blob(picture_exr(one.reference)),
            "arrival_exr": put_blob(picture_exr(one.arrival)),
        }
        for one in proof.views
    }


def _again(job: Job, report: Progress) -> None:
    """The survey again, on what is mended."""
    Bench(job.move).again(report)


def _account(job: Job, report: Progress) -> None:
    """Everything that was sent against everything that arrived."""
    Bench(job.move).accounts(report)


def _proof_shown(bench: Bench) -> ShownProof | None:
    """The last proof of what is delivered, as a report shows it."""
    row = bench.move.proofs.filter(plan=bench.landed_name.inputs).order_by("-number").first()
    if row is None or "judged" not in row.figures:
        return None
    told, held = row.figures, row.pictures
    words = [
        told["verdict"],
        f"subject ΔE {told['subject']['value']:.1f}",
        f"whole frame {told['frame']['value']:.1f}",
    ]
    words += (
        [f"worst material {told['worst_material']['name']}, {told['worst_material']['value']:.1f}"]
        if told.get("worst_material")
        else []
    )
    words += ["seen in a stand-in light, since nothing lights the scene"] if told.get("stand_in") else []
    words += [judged_at([float(one["ev100"]) for one in told["views"]])]
    words += [f"not shown: {one}" for one in told.get("unseen", ())]
    views = tuple(
        (
            one["name"],
            float(one["judged"]),
            get_blob(held[one["name"]]["reference"]),
            get_blob(held[one["name"]]["arrival"]),
        )
        for one in told["views"]
        if one["name"] in held
    )
    return ShownProof(f"ΔE {told['judged']:.1f}", "; ".join(words), views)


def _deliver(job: Job, report: Progress) -> None:
    bench = Bench(job.move)
    package = bench.package(part_of(report, 0, 0.6))
    carried = bench.landed()
    report(0.65, "reading the package back")
    accounts = bench.accounts(part_of(report, 0.65, 0.85))
    open_still = unanswered(accounts, bench.decisions)
    if open_still:
        names = ", ".join(f"{entry.name} ({entry.aspect})" for entry in open_still[:3])
        count = f"{len(open_still)} thing{'s' if len(open_still) > 1 else ''} arrived otherwise than anything explains"
        raise Refused(
            f"{count}. Nothing was delivered.",
            names,
            "Look at them on this page: mend the cause, or say that it is meant.",
        )
    report(0.9, "writing the report")
    list_text = packing_list(
        carried,
        package,
        bench.destination,
        last_words(bench.decisions, bench.received().scene),
        account_lines(accounts, bench.decisions),
    )
    page = write_report(
        carried, package, bench.findings(), bench.source, bench.destination, _proof_shown(bench), accounts
    )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for path, data in package.files.items():
            archive.writestr(path, data)
        archive.writestr("packing-list.txt", list_text)
        archive.writestr("report.html", page)
    with transaction.atomic():
        number = (job.move.handovers.order_by("-number").values_list("number", flat=True).first() or 0) + 1
        row = Handover.objects.create(
            move=job.move,
            number=number,
            destination=bench.destination.name,
            files={path: {"blob": put_blob(data), "size": len(data)} for path, data in package.files.items()},
            marks=dict(accounts.counted()),
            packing_list=list_text,
            report=put_blob(page.encode()),
            archive=put_blob(out.getvalue()),
            plan=bench.landed_name.inputs,
        )
    Job.objects.filter(id=job.id).update(result={"handover": row.id})


_WORK: dict[str, Callable[[Job, Progress], None]] = {
    "receive": _receive,
    "prove": _prove,
    "sequence": _sequence,
    "causes": _causes,
    "bake": _bake,
    "mix": _mix,
    "again": _again,
    "account": _account,
    "deliver": _deliver,
}
KINDS = frozenset(_WORK)
