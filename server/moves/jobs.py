"""Long work: receive, deliver, prove.

Each job reports progress with a beat, can be cancelled, and says so when its worker died.
"""

from __future__ import annotations

import contextlib
import logging
import threading
import time
from collections.abc import Callable, Sequence
from typing import Any

from django.contrib.auth.models import User
from django.db import DatabaseError, close_old_connections, transaction
from django.utils import timezone

from server.answers import told
from server.lanes.queue import begin, expected_s
from server.moves import budgeting, fitting, gauging, held_pictures, judging
from server.moves.bench import Bench
from server.moves.comparing import compare_files, compare_revisions
from server.moves.deciding import keep_decisions
from server.moves.deliver import deliver, take_back
from server.moves.desk import tell
from server.moves.faults import fault_of, need_room
from server.moves.joined import decisions_of
from server.moves.models import Job, Move, ProofRow
from server.moves.store import blob_bytes, put_blob, store
from trasloco.errors import Cancelled, Refused
from trasloco.progress import Progress, part_of
from trasloco.results import one_side, proving, recipes
from trasloco.results.coming_in import bounded
from trasloco.results.pages import lightmaps, mixing
from trasloco.results.records import keeping

BEAT_S = 2.0
PATIENCE_S = 600.0
"""How long the end of a job waits for a database that cannot be written."""
log = logging.getLogger(__name__)


def start(move: Move, kind: str, settings: dict[str, Any] | None = None) -> Job:
    """Queue a job. One of the same kind that still waits is answered instead of a second."""
    asked = settings or {}
    with transaction.atomic():
        waiting = move.jobs.filter(kind=kind, state=Job.State.WAITING, settings=asked).first()
        return waiting or Job.objects.create(
            move=move, kind=kind, settings=asked, expected_s=expected_s(move, kind, asked)
        )


def read_again(move: Move) -> None:
    """Queue the reading of a delivery that was read before and whose scene is gone, or was read by an earlier
    version.
    """
    revision = move.revisions.order_by("-number").first()
    if revision is None or not revision.received or revision.refusal or Bench(move).is_read():
        return
    if not move.jobs.filter(kind="receive", state__in=(Job.State.WAITING, Job.State.RUNNING)).exists():
        start(move, "receive")


def cancel(job: Job) -> None:
    """Stop a job: at once where it waits; where it runs, at its next report or with its lane."""
    waiting = Job.objects.filter(id=job.id, state=Job.State.WAITING)
    if not waiting.update(cancel=True, state=Job.State.CANCELLED, finished=timezone.now()):
        Job.objects.filter(id=job.id).update(cancel=True)


def execute(job_id: int) -> None:
    """Do one waiting job here and now."""
    job = begin(job_id)
    if job is not None:
        carry_out(job)


def carry_out(job: Job) -> None:
    """Do a job that was begun, and write down how it ended."""
    job_id = job.id
    over = threading.Event()
    heart = threading.Thread(target=_beat, args=(job_id, over), daemon=True)
    heart.start()
    ending: dict[str, Any]
    try:
        patiently(lambda: _work_at(job), passing)
        ending = {"state": Job.State.DONE, "fraction": 1.0, "message": ""}
    except Cancelled:
        ending = {"state": Job.State.CANCELLED, "message": "Cancelled. Nothing was changed."}
    except Refused as refusal:
        ending = _refused(refusal)
    except MemoryError:
        ending = _refused(_TOO_LARGE)
    except Exception as error:
        fault = fault_of(error)
        if fault is None:
            log.exception("job %s (%s) failed", job_id, job.kind)
        ending = _refused(
            fault.told
            if fault is not None
            else Refused(
                "Something unexpected went wrong; it is written in the server's log.",
                f"job {job_id}, {job.kind}",
                "Nothing was lost. Run it again, or report it.",
            )
        )
    finally:
        over.set()
        heart.join()
    patiently(lambda: _ended(job, ending))


def _work_at(job: Job) -> None:
    """Do what is asked. What was made before a database was held is kept, and not made again."""
    need_room(_ROOM_BYTES.get(job.kind, 0) + _delivery_bytes(job.move))
    with keeping(store), store.of(job.move_id):
        _WORK[job.kind](job, reporter(job.id))


_ROOM_BYTES = {
    "explain": 16 * 2**20,
    "hold": 16 * 2**20,
    "fit": 64 * 2**20,
    "budget": 64 * 2**20,
    "gauge": 32 * 2**20,
    "read gauge": 32 * 2**20,
    "prove": 64 * 2**20,
    "draw": 32 * 2**20,
    "sequence": 64 * 2**20,
    "bake": 128 * 2**20,
    "carry": 64 * 2**20,
}
"""What a kind of work writes beside a copy of what was delivered."""


def _delivery_bytes(move: Move) -> int:
    last = move.revisions.order_by("-number").first()
    return sum(map(blob_bytes, last.files.values())) if last is not None else 0


_TOO_LARGE = Refused(
    "The machine has too little memory for this.", "memory", "Leave parts out, or use smaller images."
)


def _refused(refusal: Refused) -> dict[str, Any]:
    return {"state": Job.State.REFUSED, "refusal": told(refusal)}


def _ended(job: Job, ending: dict[str, Any]) -> None:
    # Another lane may have taken it up since, where this one was thought dead.
    running = Job.objects.filter(id=job.id, state=Job.State.RUNNING, tries=job.tries)
    running.update(finished=timezone.now(), **ending)
    if Move.objects.filter(id=job.move_id).exists():
        tell(job.move)


def _beat(job_id: int, over: threading.Event) -> None:
    while not over.wait(BEAT_S):
        with contextlib.suppress(DatabaseError):  # the next beat may come through
            Job.objects.filter(id=job_id).update(beat=timezone.now())
    close_old_connections()


def passing(error: DatabaseError) -> bool:
    """Whether something else holds the database, and will let go of it."""
    fault = fault_of(error)
    return fault is not None and fault.passes


def patiently(
    act: Callable[[], None],
    worth_waiting: Callable[[DatabaseError], bool] = lambda error: True,
    for_s: float = PATIENCE_S,
) -> None:
    """Do what writes to the database, and try again while it cannot be written."""
    over, pause = time.monotonic() + for_s, 0.5
    while True:
        try:
            return act()
        except DatabaseError as error:
            if time.monotonic() > over or not worth_waiting(error):
                raise
            log.warning("the database is waited for: %s", error)
            close_old_connections()
            time.sleep(pause)
            pause = min(pause * 2, 15.0)


def reporter(job_id: int) -> Progress:
    last = [0.0]

    def report(fraction: float, message: str) -> None:
        now = time.monotonic()
        if now - last[0] < 0.25:
            return
        last[0] = now
        with contextlib.suppress(DatabaseError):  # the next report may come through
            Job.objects.filter(id=job_id).update(
                fraction=min(max(fraction, 0.0), 1.0), message=message[:300], beat=timezone.now()
            )
        cancelled = Job.objects.filter(id=job_id).values_list("cancel", flat=True).first()
        if cancelled is not False:  # asked for, or gone with its move
            raise Cancelled

    return report


def _receive(job: Job, report: Progress) -> None:
    bench = Bench(job.move)
    revision = bench.revision
    report(0.02, "reading files")
    try:
        with bounded():
            bench.received()
    except (Refused, MemoryError) as error:
        revision.refusal = told(error if isinstance(error, Refused) else _TOO_LARGE)
        revision.save(update_fields=["refusal"])
        raise
    report(0.4, "preparing the view")
    bench.view_blob()
    revision.received, revision.refusal = bench.received_name.key, None
    revision.save()
    use = job.settings.get("use")
    if use:
        person = User.objects.filter(pk=use.get("by", 0)).first()
        keep_decisions(bench, decisions_of(bench, use), person)
        bench = Bench(job.move)
    report(0.45, "comparing files")
    compare_files(revision)
    report(0.5, "surveying")
    bench.findings(part_of(report, 0.5, 0.8))
    with contextlib.suppress(Refused, MemoryError):  # told where it is asked for
        bench.plan(part_of(report, 0.8, 0.88))  # here and now: its images are at hand
    report(0.88, "comparing with the revision before")
    compare_revisions(revision)
    report(0.9, "taking a first look")
    bench.idle()
    picture, revision.lights = proving.first_look(bench)
    revision.picture = put_blob(picture)
    revision.save()


def prove(job: Job, report: Progress) -> None:
    bench = Bench(job.move)
    settings = {"stand_in": True} if job.kind == "carry" else job.settings
    asked = proving.asked_of(bench, settings)
    key = proving.proof_key(bench, asked)
    same = next((row for row in job.move.proofs.all() if row.figures.get("key") == key), None)
    if same is not None:
        Job.objects.filter(id=job.id).update(result={"proof": same.id})
        return
    early: dict[str, dict[str, str]] = {}

    def on_picture(view: str, side: str, data: bytes) -> None:
        early.setdefault(view, {})[side] = put_blob(data)
        Job.objects.filter(id=job.id).update(result={"pictures": early})

    proof = proving.prove(bench, asked, report, on_picture)
    number = (job.move.proofs.order_by("-number").values_list("number", flat=True).first() or 0) + 1
    kept = proving.pictures_of(proof)
    row = ProofRow.objects.create(
        move=job.move,
        number=number,
        figures=proving.figures_of(bench, proof, asked, settings),
        pictures={
            view: {side: put_blob(data) for side, data in sides.items()} for view, sides in kept.items()
        },
        plan=bench.landed_name.inputs,
        code=bench.proving_code,
    )
    Job.objects.filter(id=job.id).update(result={"pictures": early, "proof": row.id})


def _draw(job: Job, report: Progress) -> None:
    """One side of a view, nothing compared."""
    bench = Bench(job.move)
    asked = proving.asked_of(bench, job.settings)
    side: one_side.Side = "arrival" if job.settings.get("side") == "arrival" else "reference"

    def on_picture(data: bytes) -> None:
        Job.objects.filter(id=job.id).update(
            result={"pictures": {asked.views[0].name: {side: put_blob(data)}}}
        )

    made = one_side.drawn(bench, asked, side, report, on_picture)
    told = {**made["told"], "png": put_blob(made["png"]), "exr": put_blob(made["exr"])}
    Job.objects.filter(id=job.id).update(result={"drawn": told})


def _sequence(job: Job, report: Progress) -> None:
    """A clip as frames of both sides; each is kept as soon as it is there, also when the job is stopped."""
    sequence = proving.sequence_of(Bench(job.move), job.settings, report)
    frames: list[dict[str, Any]] = []
    for figures, pictures in sequence.frames:
        frames.append({**figures, "pictures": {side: put_blob(data) for side, data in pictures.items()}})
        Job.objects.filter(id=job.id).update(result={**sequence.told, "frames": frames})


def _bake(job: Job, report: Progress) -> None:
    """Lightmaps; pictures of them as far as they are, meanwhile."""
    bench = Bench(job.move)
    if not bench.wish.wanted:
        remedy = "Ask for lightmaps first, or choose a destination that takes them."
        raise Refused("No light is to be written down.", bench.destination.name, remedy)

    def on_pictures(pictures: Sequence[bytes], paths: int) -> None:
        maps = [put_blob(data) for data in pictures]
        Job.objects.filter(id=job.id).update(result={"maps": maps, "paths": paths})

    bench.baked(report, lightmaps.early_pictures(on_pictures), bool(job.settings.get("anew")))


def _mix(job: Job, report: Progress) -> None:
    """A view in the light of each lamp alone."""
    quality = proving.quality_of(job.settings, {"width": 480, "height": 270, "samples": 48})
    made = mixing.render_layers(Bench(job.move), str(job.settings.get("view") or ""), quality, report)
    Job.objects.filter(id=job.id).update(result={"mix": made})


def _again(job: Job, report: Progress) -> None:
    """The survey again, on what is mended."""
    Bench(job.move).again(report)


def _account(job: Job, report: Progress) -> None:
    """Everything that was sent against everything that arrived."""
    Bench(job.move).accounts(report)


def _carry(job: Job, report: Progress) -> None:
    """A whole move at one press: what another decided, as far as it fits, the package, and a proof. What was
    made before of the same is not made again.
    """
    asked = job.settings
    other = Move.objects.filter(id=asked.get("recipe") or 0).first()
    if other is not None:
        report(0.02, f"taking what was decided in {other.name}")
        bench = Bench(job.move)
        wanted = recipes.fitting(bench, Bench(other).decisions)
        if wanted:
            keep_decisions(bench, wanted, User.objects.filter(pk=asked.get("by") or 0).first())
    prove_too = bool(asked.get("prove"))
    if not job.move.handovers.filter(plan=Bench(job.move).landed_name.inputs).exists():
        deliver(job, part_of(report, 0.05, 0.6 if prove_too else 1))
    if prove_too:
        prove(job, part_of(report, 0.6, 1))


_WORK: dict[str, Callable[[Job, Progress], None]] = {
    "receive": _receive,
    "prove": prove,
    "draw": _draw,
    "sequence": _sequence,
    "causes": judging.causes,
    "worth": judging.worth_doing,
    "bake": _bake,
    "mix": _mix,
    "again": _again,
    "account": _account,
    "deliver": deliver,
    "explain": held_pictures.explain,
    "hold": held_pictures.hold,
    "match light": held_pictures.match_light,
    "match material": held_pictures.match_material,
    "fit": fitting.fit,
    "budget": budgeting.measure,
    "gauge": gauging.hand_over,
    "read gauge": gauging.read_back,
    "carry": _carry,
    "way back": take_back,
}
KINDS = frozenset(_WORK)
