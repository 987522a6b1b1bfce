"""The API. Thin: each view names what it wants from the bench, the jobs or the rows."""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any, Literal

from django.conf import settings
from django.db import transaction
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from ninja import File, Form, NinjaAPI, Schema, UploadedFile
from ninja.errors import HttpError, ValidationError

from demo.samples import SAMPLES
from server.moves import desk, jobs, lightmaps, lights, mixing, present, schemas
from server.moves import sheets as sheet_shelf
from server.moves.bench import Bench
from server.moves.models import DecisionRow, Handover, Job, Move, ProofRow, Revision
from server.moves.sheets import sheet_of
from server.moves.store import blob_path, get_blob, put_blob, result_path, store
from trasloco.decisions.kinds import AnyDecision, on_the_wire, typed
from trasloco.decisions.targets import check_targets
from trasloco.decisions.values import plain
from trasloco.errors import Refused
from trasloco.fit.naming import slug
from trasloco.formats.bundle import safe_path
from trasloco.formats.receive import split_delivery
from trasloco.inventory.media import media_files
from trasloco.inventory.naming import renamed
from trasloco.limits import LIMITS
from trasloco.mends.settling import decided
from trasloco.mends.whole_inputs import copied_settings, swapped_inputs
from trasloco.render.picture import ev100_of
from trasloco.results import looking, pictures
from trasloco.results import samples as samples_of
from trasloco.results.name import named
from trasloco.scene.model import Decision
from trasloco.sheets.text import sheet_toml
from trasloco.shelf import matches, put_on, shelf

api = NinjaAPI(title="Trasloco", version="1", docs_url=None, openapi_url="/openapi.json")
_SAMPLES = Path(settings.DATA_DIR) / "demo" / "samples"
_FOREVER = "private, max-age=31536000, immutable"
_TYPES = {"png": "image/png", "glb": "model/gltf-binary", "html": "text/html; charset=utf-8", "zip": "application/zip"}


@api.exception_handler(Refused)
def _refused(request: HttpRequest, error: Refused) -> HttpResponse:
    return JsonResponse({"what": error.what, "where": error.where, "remedy": error.remedy}, status=422)


@api.exception_handler(ValidationError)
def _invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
    first = error.errors[0] if error.errors else {}
    if first.get("loc", ())[:2] == ("body", "decisions"):
        return _refused(request, _undecidable(request.body))
    return JsonResponse({"what": f"{first.get('msg', 'The request is not valid')}.", "where": " · ".join(str(p) for p in first.get("loc", ())), "remedy": "Mend this field and try again."}, status=422)


def _undecidable(body: bytes) -> Refused:
    """Why the first of some decisions that cannot be is none."""
    try:
        for row in json.loads(body):
            typed(Decision(str(row["target"]), str(row["field"]), row.get("value")))
    except Refused as refused:
        return refused
    except (ValueError, TypeError, KeyError, AttributeError, RecursionError):
        pass
    return Refused("These are no decisions.", "the request", "Send a list, each with a target, a field and a value.")


@api.exception_handler(HttpError)
def _http(request: HttpRequest, error: HttpError) -> HttpResponse:
    return JsonResponse({"what": str(error), "where": request.path, "remedy": "Go back and try again."}, status=error.status_code)


def _move(move_id: int) -> Move:
    return get_object_or_404(Move, id=move_id)


def _ready(move_id: int) -> Bench:
    """The bench of a move that was read. Raises Refused while it is being read or when it could not be."""
    bench = Bench(_move(move_id))
    if bench.revision.refusal:
        raise Refused(**bench.revision.refusal)
    if not bench.revision.received:
        raise Refused("The delivery is still being read.", bench.move.name, "Wait for it to finish.")
    return bench


def _written(name: str, bench: Bench, schema: type[Schema], make: Callable[[], Any]) -> HttpResponse:
    """A large answer, checked and written once for each state of the move."""
    key = named(name, ("trasloco.move",), bench.received_name, bench.source, bench.destination, bench.decisions, bench.has_light()).key
    data: bytes = store.get_or_make(key, lambda: schema.model_validate(make()).model_dump_json().encode(), keep=False)
    return HttpResponse(data, content_type="application/json")


@api.get("/sheets", response=list[schemas.SheetOut])
def sheets(request: HttpRequest) -> Any:
    return [sheet_shelf.sheet_out(sheet) for sheet in sheet_shelf.all_sheets().values()]


@api.get("/sheet-inputs", response=list[schemas.InputSpecOut])
def sheet_inputs(request: HttpRequest) -> Any:
    return sheet_shelf.inputs_out()


@api.get("/sheets/compare", response=list[schemas.DifferenceOut])
def compare_sheets(request: HttpRequest, first: str, second: str) -> Any:
    return sheet_shelf.comparison_out(sheet_of(first), sheet_of(second))


@api.post("/sheets/import", response=schemas.SheetOut)
def import_sheet(request: HttpRequest, wanted: schemas.SheetText) -> Any:
    return sheet_shelf.sheet_out(sheet_shelf.imported(wanted.text))


@api.get("/sheets/{name}.toml")
def export_sheet(request: HttpRequest, name: str) -> HttpResponse:
    sheet = sheet_of(name)
    response = HttpResponse(sheet_toml(sheet), content_type="application/toml; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{slug(sheet.name)}.toml"'
    return response


@api.post("/sheets/{name}/copy", response=schemas.SheetOut)
def copy_sheet(request: HttpRequest, name: str, wanted: schemas.SheetCopy) -> Any:
    return sheet_shelf.sheet_out(sheet_shelf.copied(name, wanted.name))


@api.patch("/sheets/{name}", response=schemas.SheetOut)
def change_sheet(request: HttpRequest, name: str, wanted: schemas.SheetChange) -> Any:
    return sheet_shelf.sheet_out(sheet_shelf.change(name, wanted.lines))


@api.post("/sheets/{name}/undo", response=schemas.SheetOut)
def undo_sheet(request: HttpRequest, name: str) -> Any:
    return sheet_shelf.sheet_out(sheet_shelf.step(name, -1))


@api.post("/sheets/{name}/redo", response=schemas.SheetOut)
def redo_sheet(request: HttpRequest, name: str) -> Any:
    return sheet_shelf.sheet_out(sheet_shelf.step(name, 1))


@api.delete("/sheets/{name}", response={204: None})
def delete_sheet(request: HttpRequest, name: str) -> Any:
    sheet_shelf.remove(name)
    return 204, None


@api.get("/moves", response=list[schemas.MoveOut])
def moves(request: HttpRequest) -> Any:
    return HttpResponse(desk.desk_json(), content_type="application/json; charset=utf-8")


@api.post("/moves", response=schemas.MoveOut)
def make_move(request: HttpRequest, files: File[list[UploadedFile]], paths: Form[list[str]] = [], name: Form[str] = "", source: Form[str] = "plain", destination: Form[str] = "lanterna", apart: Form[bool] = False) -> Any:  # noqa: B006
    """One move of everything, or with ``apart`` one for each independent model; the first of them is answered."""
    sheet_of(source, "source")
    sheet_of(destination, "destination")
    kept = _keep_files(files, paths)
    if apart:
        groups = split_delivery({path: get_blob(blob) for path, blob in kept.items()})
        made = [_made(model, {path: put_blob(data) for path, data in held.items()}, source, destination) for model, held in groups.items()]
        return desk.move_out(made[0])
    shown = (name.strip() or re.sub(r"\.[A-Za-z0-9]+$", "", next(iter(kept)).rsplit("/", 1)[-1]) or "Untitled")[:200]
    return desk.move_out(_made(shown, kept, source, destination))


def _made(name: str, kept: dict[str, str], source: str, destination: str) -> Move:
    with transaction.atomic():
        move = Move.objects.create(name=name[:200], source=source, destination=destination)
        Revision.objects.create(move=move, number=1, files=kept)
        jobs.start(move, "receive")
    return move


@api.get("/samples", response=list[schemas.SampleFileOut])
def samples(request: HttpRequest) -> Any:
    """Sample deliveries that were generated beside the demo."""
    return [{"file": s.file, "title": s.title, "note": s.note, "source": s.source} for s in SAMPLES if (_SAMPLES / s.file).is_file()]


@api.post("/moves/from-sample", response=schemas.MoveOut)
def move_from_sample(request: HttpRequest, wanted: schemas.SampleMoveIn) -> Any:
    found = next((s for s in SAMPLES if s.file == wanted.file), None)
    if found is None or not (_SAMPLES / found.file).is_file():
        raise Refused("There is no such sample.", wanted.file, "Choose one of those on the desk.")
    sheet_of(wanted.destination, "destination")
    return desk.move_out(_made(found.title, {found.file: put_blob((_SAMPLES / found.file).read_bytes())}, found.source, wanted.destination))


def _keep_files(files: list[UploadedFile], paths: list[str]) -> dict[str, str]:
    """Check limits and names, then keep the bytes. Raises Refused."""
    if sum(file.size or 0 for file in files) > LIMITS.upload_bytes:
        raise Refused(f"The delivery is larger than {LIMITS.upload_bytes >> 20} MB.", "the delivery", "Split it, or raise the limit in the settings.")
    names = paths if len(paths) == len(files) else [file.name or "file" for file in files]
    return {safe_path(path): put_blob(file.read()) for path, file in zip(names, files)}


@api.post("/moves/{move_id}/files", response=schemas.MoveOut)
def add_files(request: HttpRequest, move_id: int, files: File[list[UploadedFile]], paths: Form[list[str]] = []) -> Any:  # noqa: B006
    """More files for the delivery: missing images dropped in later. They become part of the next revision."""
    move = _move(move_id)
    kept = _keep_files(files, paths)
    last = Bench(move).revision
    with transaction.atomic():
        Revision.objects.create(move=move, number=last.number + 1, files={**last.files, **kept})
        jobs.start(move, "receive")
    return desk.move_out(move)


@api.get("/moves/{move_id}", response=schemas.MoveOut)
def one_move(request: HttpRequest, move_id: int) -> Any:
    return desk.move_out(_move(move_id))


@api.patch("/moves/{move_id}", response=schemas.MoveOut)
def change_move(request: HttpRequest, move_id: int, change: schemas.MoveChange) -> Any:
    move = _move(move_id)
    if change.source:
        move.source = sheet_of(change.source, "source").name.lower()
    if change.destination:
        move.destination = sheet_of(change.destination, "destination").name.lower()
    if change.name and change.name.strip():
        move.name = change.name.strip()[:200]
    move.save()
    return desk.move_out(move)


@api.delete("/moves/{move_id}", response={204: None})
def delete_move(request: HttpRequest, move_id: int) -> Any:
    _move(move_id).delete()
    return 204, None


@api.get("/moves/{move_id}/inventory", response=schemas.InventoryOut)
def inventory(request: HttpRequest, move_id: int) -> Any:
    bench = _ready(move_id)
    return _written(f"inventory {bench.surveyed()}", bench, schemas.InventoryOut, lambda: present.inventory_out(bench))


@api.get("/moves/{move_id}/fit", response=schemas.FitOut)
def fit(request: HttpRequest, move_id: int) -> Any:
    bench = _ready(move_id)
    return _written("fit", bench, schemas.FitOut, lambda: present.fit_out(bench))


@api.get("/moves/{move_id}/light", response=schemas.LightStopOut)
def light(request: HttpRequest, move_id: int) -> Any:
    return lights.light_out(_ready(move_id))


@api.get("/moves/{move_id}/light.png")
def light_png(request: HttpRequest, move_id: int, view: str = "") -> HttpResponse:
    """A quick picture of a view in the light as it is now."""
    return HttpResponse(lights.quick_png(_ready(move_id), view), content_type="image/png")


@api.get("/moves/{move_id}/exposure", response=schemas.ExposureOut)
def exposure(request: HttpRequest, move_id: int, f_stop: float, shutter_s: float, iso: float) -> Any:
    """EV100 of a camera's settings."""
    if not (f_stop > 0 and shutter_s > 0 and iso > 0):
        raise Refused("These settings let no light in.", f"f/{f_stop:g}, {shutter_s:g} s, ISO {iso:g}", "Give numbers above zero.")
    return {"ev100": ev100_of(f_stop, shutter_s, iso)}


@api.get("/moves/{move_id}/mix", response=schemas.MixOut)
def mix(request: HttpRequest, move_id: int) -> Any:
    """The layers that were rendered last, for mixing."""
    return mixing.mix_out(_ready(move_id))


@api.get("/moves/{move_id}/mix.bin")
def mix_layers(request: HttpRequest, move_id: int) -> HttpResponse:
    """Radiance of all layers one after another, 32-bit floats, lowest byte first."""
    return HttpResponse(mixing.layers_bytes(_ready(move_id)), content_type="application/octet-stream")


@api.get("/moves/{move_id}/lightmaps", response=schemas.LightmapsOut)
def lightmaps_of(request: HttpRequest, move_id: int) -> Any:
    """What is asked of lightmaps, what was baked, and what is wrong with it."""
    return lightmaps.lightmaps_out(_ready(move_id))


@api.get("/moves/{move_id}/lightmap.png")
def lightmap_png(request: HttpRequest, move_id: int, number: int = 0, lens: str = "light") -> HttpResponse:
    return HttpResponse(lightmaps.lens_png(_ready(move_id), number, lens), content_type="image/png")


@api.get("/moves/{move_id}/lightmaps.glb")
def lightmaps_glb(request: HttpRequest, move_id: int) -> HttpResponse:
    return HttpResponse(lightmaps.view_glb(_ready(move_id)), content_type="model/gltf-binary")


@api.get("/moves/{move_id}/proofs", response=schemas.ProofsOut)
def proofs(request: HttpRequest, move_id: int) -> Any:
    return present.proofs_out(_ready(move_id))


@api.patch("/proofs/{proof_id}", response={204: None})
def name_proof(request: HttpRequest, proof_id: int, change: schemas.ProofChange) -> Any:
    row = get_object_or_404(ProofRow, id=proof_id)
    row.name = change.name.strip()[:200]
    row.save(update_fields=["name"])
    return 204, None


@api.get("/proofs/{proof_id}/pixel", response=schemas.PixelOut)
def proof_pixel(request: HttpRequest, proof_id: int, view: str, x: int, y: int) -> Any:
    """One pixel of a kept proof on both sides."""
    return present.pixel_out(get_object_or_404(ProofRow, id=proof_id), view, x, y)


@api.get("/proofs/{proof_id}/picture")
def proof_picture(request: HttpRequest, proof_id: int, view: str, side: str) -> HttpResponse:
    """A picture of a kept proof as a file: PNG as it is seen, or EXR with radiance in nit."""
    row = get_object_or_404(ProofRow, id=proof_id)
    held = row.pictures.get(view, {})
    if side not in held:
        raise Refused("There is no such picture.", f"proof {row.number}, {view}, {side}", "Choose one of the proof's pictures.")
    kind = "exr" if side.endswith("_exr") else "png"
    name = re.sub(r"[^A-Za-z0-9._-]+", "-", f"proof-{row.number}-{view}-{side.removesuffix('_exr')}.{kind}")
    return HttpResponse(get_blob(held[side]), content_type=f"image/{'x-exr' if kind == 'exr' else 'png'}", headers={"Content-Disposition": f'attachment; filename="{name}"'})


@api.get("/moves/{move_id}/again", response=schemas.AgainOut)
def again(request: HttpRequest, move_id: int) -> Any:
    """The survey of what is mended; a job of kind ``again`` takes it."""
    return present.again_out(_ready(move_id))


@api.get("/moves/{move_id}/sequence.zip")
def sequence_zip(request: HttpRequest, move_id: int) -> HttpResponse:
    """The frames of the last sequence as numbered PNG, with their figures as a table."""
    told = present.sequence_out(_ready(move_id))
    if told is None:
        raise Refused("No clip of this move was proved as a sequence yet.", "Proof", "Ask for it first.")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        rows = ["frame,seconds,subject,low,high"]
        for frame in told["frames"]:
            for side, blob in frame["pictures"].items():
                archive.writestr(f"{side}-{frame['number']:04d}.png", get_blob(blob))
            rows.append(f"{frame['number']},{frame['time_s']:.4f},{frame['subject']['value']:.3f},{frame['subject']['low']:.3f},{frame['subject']['high']:.3f}")
        archive.writestr("differences.csv", "\n".join(rows) + "\n")
    return HttpResponse(out.getvalue(), content_type="application/zip", headers={"Content-Disposition": f'attachment; filename="{slug(told["clip_name"])}-frames.zip"'})


@api.get("/moves/{move_id}/accounts", response=schemas.AccountsOut)
def accounts(request: HttpRequest, move_id: int) -> Any:
    """The books of the package as it stands, where they were taken; a job of kind ``account`` takes them."""
    return present.accounts_out(_ready(move_id))


@api.get("/moves/{move_id}/handovers", response=list[schemas.HandoverOut])
def handovers(request: HttpRequest, move_id: int) -> Any:
    bench = _ready(move_id)
    return [present.handover_out(row, bench.landed_name.inputs) for row in bench.move.handovers.all()]


@api.post("/moves/{move_id}/decisions", response=schemas.MoveOut)
def decide(request: HttpRequest, move_id: int, decisions: list[AnyDecision]) -> Any:
    """Add decisions as one batch; what was undone before is forgotten. They are tried before they are kept, and what nothing would read is refused."""
    return _decide(move_id, [Decision(d.target, d.field, d.value) for d in decisions])


def _decide(move_id: int, wanted: list[Decision]) -> Any:
    bench = _ready(move_id)
    received = bench.received().scene
    check_targets(wanted, received, bench.settled(), bench.mended_with(wanted))
    with transaction.atomic():
        bench.move.decisions.filter(undone=True).delete()
        last = bench.move.decisions.order_by("-batch").values_list("batch", flat=True).first() or 0
        DecisionRow.objects.bulk_create(DecisionRow(move=bench.move, batch=last + 1, target=d.target, field=d.field, value=plain(d.value)) for d in wanted)
    return desk.move_out(bench.move)


@api.post("/moves/{move_id}/undo", response=schemas.MoveOut)
def undo(request: HttpRequest, move_id: int) -> Any:
    move = _move(move_id)
    last = move.decisions.filter(undone=False).order_by("-batch").values_list("batch", flat=True).first()
    move.decisions.filter(batch=last).update(undone=True)
    return desk.move_out(move)


@api.post("/moves/{move_id}/redo", response=schemas.MoveOut)
def redo(request: HttpRequest, move_id: int) -> Any:
    move = _move(move_id)
    first = move.decisions.filter(undone=True).order_by("batch").values_list("batch", flat=True).first()
    move.decisions.filter(batch=first).update(undone=False)
    return desk.move_out(move)


@api.get("/moves/{move_id}/decisions", response=list[schemas.DecisionRowOut])
def decisions(request: HttpRequest, move_id: int) -> Any:
    return [on_the_wire(d) for d in Bench(_move(move_id)).decisions]


@api.get("/moves/{move_id}/history", response=list[schemas.HistoryOut])
def history(request: HttpRequest, move_id: int) -> Any:
    return present.history_out(_ready(move_id))


@api.post("/moves/{move_id}/back-to", response=schemas.MoveOut)
def back_to(request: HttpRequest, move_id: int, wanted: schemas.BackTo) -> Any:
    """Everything decided after a batch is undone, it and everything before holds. 0 undoes all."""
    move = _move(move_id)
    with transaction.atomic():
        move.decisions.filter(batch__gt=wanted.batch).update(undone=True)
        move.decisions.filter(batch__lte=wanted.batch).update(undone=False)
    return desk.move_out(move)


@api.post("/moves/{move_id}/copy-inputs", response=schemas.MoveOut)
def copy_inputs(request: HttpRequest, move_id: int, wanted: schemas.CopyInputs) -> Any:
    """A material's settings, all or some inputs, given to others; one batch of decisions."""
    made = copied_settings(_ready(move_id).settled(), wanted.source, wanted.targets, wanted.inputs)
    return _decide(move_id, made)


@api.post("/moves/{move_id}/swap-inputs", response=schemas.MoveOut)
def swap_inputs(request: HttpRequest, move_id: int, wanted: schemas.SwapInputs) -> Any:
    made = swapped_inputs(_ready(move_id).settled(), wanted.material, wanted.first, wanted.second)
    return _decide(move_id, made)


@api.get("/moves/{move_id}/texel", response=schemas.TexelOut)
def texel(request: HttpRequest, move_id: int, image: str, u: float, v: float) -> Any:
    """The colour of an image at a place, 0 to 1 from its upper left corner."""
    return asdict(looking.texel_seen(_ready(move_id), image, u, v))


@api.get("/moves/{move_id}/paint", response=schemas.PaintOut)
def paint(request: HttpRequest, move_id: int, material: str) -> Any:
    bench = _ready(move_id)
    made = decided(bench.decisions, material, "paint")
    return {**asdict(looking.paint_seen(bench, material)), "chosen": made.value if made else None}


@api.get("/moves/{move_id}/shelf", response=schemas.ShelfOut)
def shelf_of(request: HttpRequest, move_id: int) -> Any:
    """The library of materials, and the slots that are named like something in it."""
    scene = _ready(move_id).settled()
    return {"names": list(shelf()), "matches": [{"slot": m.slot, "slot_name": scene.materials[m.slot].name, "name": m.name} for m in matches(scene)]}


@api.post("/moves/{move_id}/from-shelf", response=schemas.MoveOut)
def from_shelf(request: HttpRequest, move_id: int, wanted: list[schemas.FromShelf]) -> Any:
    """Materials of the library put on slots; one batch of decisions."""
    scene = _ready(move_id).settled()
    made = [d for one in wanted for d in put_on(scene, one.slot, one.name)]
    return _decide(move_id, made)


@api.get("/moves/{move_id}/alone.png")
def alone_png(request: HttpRequest, move_id: int, name: str, arrival: bool = False, view: str = "") -> HttpResponse:
    """One input alone on the model, on either side."""
    return _png(pictures.alone_png(_ready(move_id), name, arrival, view, 640, 480))


@api.get("/shelf.png")
def shelf_png(request: HttpRequest, name: str, side: int = 76) -> HttpResponse:
    return _png(samples_of.shelf_sample(store, name, min(_side(side), 256)), forever=True)


@api.get("/moves/{move_id}/collision", response=list[schemas.CollisionOut])
def collision(request: HttpRequest, move_id: int, part: str) -> Any:
    """What each shape that could stand for a part would cost."""
    return looking.collision_seen(_ready(move_id), part)


@api.get("/moves/{move_id}/step.png")
def step_png(request: HttpRequest, move_id: int, crossing: str, at: int, side: int = 84) -> HttpResponse:
    return _png(pictures.step_png(_ready(move_id), crossing, at, min(_side(side), 512)))


@api.post("/moves/{move_id}/jobs", response=schemas.JobOut)
def start_job(request: HttpRequest, move_id: int, wanted: schemas.JobIn) -> Any:
    move = _move(move_id)
    if wanted.kind != "receive":
        _ready(move_id)
    return desk.job_out(jobs.start(move, wanted.kind, wanted.settings))


@api.get("/jobs/{job_id}", response=schemas.JobOut)
def one_job(request: HttpRequest, job_id: int) -> Any:
    return desk.job_out(get_object_or_404(Job, id=job_id))


@api.post("/jobs/{job_id}/cancel", response=schemas.JobOut)
def cancel_job(request: HttpRequest, job_id: int) -> Any:
    job = get_object_or_404(Job, id=job_id)
    job.cancel = True
    job.save(update_fields=["cancel"])
    return desk.job_out(job)


@api.get("/moves/{move_id}/samples", response=schemas.SampleOut)
def sample(request: HttpRequest, move_id: int, material: str, quick: bool = False) -> Any:
    return present.sample_out(_ready(move_id), material, quick)


def _png(data: bytes, forever: bool = False) -> HttpResponse:
    response = HttpResponse(data, content_type="image/png")
    response["Cache-Control"] = _FOREVER if forever else "private, max-age=60"
    return response


def _side(side: int) -> int:
    return min(max(side, 8), 2048)


@api.get("/moves/{move_id}/sample.png")
def sample_png(request: HttpRequest, move_id: int, material: str, side: int = 76) -> HttpResponse:
    return _png(samples_of.sample_png(_ready(move_id), material, min(_side(side), 512)))


@api.get("/moves/{move_id}/input.png")
def input_png(request: HttpRequest, move_id: int, material: str, name: str, side: int = 512) -> HttpResponse:
    return _png(pictures.input_png(_ready(move_id), material, name, _side(side)))


@api.get("/moves/{move_id}/image.png")
def image_png(request: HttpRequest, move_id: int, image: str, side: int = 128, channel: Literal["rgb", "r", "g", "b", "a"] = "rgb") -> HttpResponse:
    return _png(pictures.image_png(_ready(move_id), image, _side(side), channel))


@api.get("/moves/{move_id}/image", response=schemas.ImageFacts)
def image_facts(request: HttpRequest, move_id: int, image: str) -> Any:
    return present.image_out(_ready(move_id), image)


@api.get("/moves/{move_id}/families", response=schemas.FamiliesOut)
def families(request: HttpRequest, move_id: int) -> Any:
    return present.families_out(_ready(move_id))


@api.get("/moves/{move_id}/siblings", response=list[schemas.ProposalOut])
def siblings(request: HttpRequest, move_id: int, material: str, image: str) -> Any:
    """What else the set of an image would fill in a material: one proposal or none."""
    bench = _ready(move_id)
    made = looking.siblings(bench, material, image)
    return [present.proposal_out(bench, made)] if made is not None else []


@api.post("/moves/{move_id}/rename-preview", response=dict[str, str])
def rename_preview(request: HttpRequest, move_id: int, wanted: schemas.RenameIn) -> Any:
    """The names a pattern would give, nothing decided yet."""
    scene = _ready(move_id).settled()
    named = {id: group[id].name for id in wanted.ids for group in (scene.nodes, scene.materials, scene.images) if id in group}
    return renamed(named, wanted.pattern, wanted.find)


@api.get("/moves/{move_id}/media.zip")
def media_zip(request: HttpRequest, move_id: int) -> HttpResponse:
    """All images of the delivery as files, embedded ones too."""
    bench = _ready(move_id)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, data in media_files(bench.received().scene).items():
            archive.writestr(f"media/{name}", data)
    response = HttpResponse(out.getvalue(), content_type="application/zip")
    response["Content-Disposition"] = 'attachment; filename="media.zip"'
    return response


@api.get("/moves/{move_id}/crossing.png")
def crossing_png(request: HttpRequest, move_id: int, crossing: str, side: int = 96) -> HttpResponse:
    return _png(pictures.crossing_png(_ready(move_id), crossing, _side(side)))


def _blob(name: str, kind: str, download: str = "") -> FileResponse:
    kept = (blob_path(name), result_path(name)) if re.fullmatch(r"[0-9a-f]{64}", name) else ()
    path = next((one for one in kept if one.is_file()), None)
    if path is None:
        raise HttpError(404, "There is no such file.")
    response = FileResponse(path.open("rb"), content_type=_TYPES[kind], as_attachment=bool(download), filename=download)
    response["Cache-Control"] = _FOREVER
    if kind == "html":
        response["Content-Security-Policy"] = "default-src 'none'; img-src data:; style-src 'unsafe-inline'"
    return response


@api.get("/blobs/{name}.png")
def blob_png(request: HttpRequest, name: str) -> FileResponse:
    return _blob(name, "png")


@api.get("/blobs/{name}.glb")
def blob_glb(request: HttpRequest, name: str) -> FileResponse:
    return _blob(name, "glb")


@api.get("/handovers/{handover_id}/package.zip")
def handover_zip(request: HttpRequest, handover_id: int) -> FileResponse:
    row = get_object_or_404(Handover, id=handover_id)
    stem = re.sub(r"[^A-Za-z0-9]+", "-", row.move.name).strip("-").lower() or "package"
    return _blob(row.archive, "zip", f"{stem}-{row.destination.lower()}-{row.number}.zip")


@api.get("/handovers/{handover_id}/picture.png")
def handover_picture(request: HttpRequest, handover_id: int, path: str, side: int = 168) -> HttpResponse:
    """A small picture of a delivered image."""
    row = get_object_or_404(Handover, id=handover_id)
    if path not in row.files:
        raise Refused("There is no such file in this handover.", path, "Reload the page.")
    return _png(present.delivered_png(path, row.files[path]["blob"], min(max(side, 16), 512)))


@api.get("/handovers/{handover_id}/report")
def handover_report(request: HttpRequest, handover_id: int) -> FileResponse:
    return _blob(get_object_or_404(Handover, id=handover_id).report, "html")


