"""What is kept in rows, in the shapes of the API: history, proofs, sequences, handovers; and pictures by the
digests they are served by.
"""

from __future__ import annotations

from typing import Any

from server.moves.bench import Bench
from server.moves.models import DecisionRow, Handover, OwnPicture, ProofRow
from server.moves.store import get_blob, store
from trasloco.decisions.wording import in_words
from trasloco.errors import Refused
from trasloco.results import own_pictures
from trasloco.results.name import named
from trasloco.results.pages import inventory, proof
from trasloco.results.records import Decision
from trasloco.results.samples import sample, sample_name
from trasloco.results.thumbnails import file_thumbnail
from trasloco.results.worth import how_right


def inventory_out(bench: Bench, view: str, received_view: str) -> dict[str, Any]:
    """The Inventory stop with the two views it is shown on."""
    surveyed = bench.surveyed()  # asked first: a survey that ends meanwhile is told with the next answer
    return {
        **inventory.inventory_out(bench),
        "surveyed": surveyed,
        "view": view,
        "received_view": received_view,
    }


def history_out(bench: Bench) -> list[dict[str, Any]]:
    """What was decided, newest last, in words; of a large batch the first few."""
    scene, idle = bench.received().scene, bench.idle()
    batches: dict[int, list[DecisionRow]] = {}
    for row in bench.move.decisions.select_related("by"):
        batches.setdefault(row.batch, []).append(row)
    return [
        {
            "batch": batch,
            "undone": rows[0].undone,
            "by": rows[0].by.username if rows[0].by else None,
            "count": len(rows),
            "created": rows[0].created.isoformat(),
            "idle": sum((r.target, r.field) in idle for r in rows if not r.undone),
            "words": [in_words(Decision(r.target, r.field, r.value), scene) for r in rows[:4]],
        }
        for batch, rows in sorted(batches.items())
    ]


def proofs_out(bench: Bench) -> dict[str, Any]:
    """The Proof stop with what was proved."""
    kept = list(bench.move.proofs.all())
    return {
        **proof.proofs_out(bench),
        "proofs": [proof_out(row, bench) for row in kept],
        "how_right": how_right([(row.number, row.plan, row.figures) for row in reversed(kept)]),
        "seconds_a_sample": proof.seconds_a_sample(kept[0].figures) if kept else None,
        "sequence": sequence_out(bench),
    }


def sequence_out(bench: Bench) -> dict[str, Any] | None:
    """The last sequence of frames, whether or not it was finished."""
    job = next(
        (one for one in bench.move.jobs.filter(kind="sequence").order_by("-id") if one.result.get("frames")),
        None,
    )
    return None if job is None else {**job.result, "current": job.result["plan"] == bench.landed_name.inputs}


def proof_out(row: ProofRow, bench: Bench) -> dict[str, Any]:
    return {
        "id": row.id,
        "number": row.number,
        "name": row.name,
        "created": row.created.isoformat(),
        "current": row.plan == bench.landed_name.inputs,
        "earlier": row.plan == bench.landed_name.inputs and row.code != bench.proving_code,
        "figures": row.figures,
        "words": proof.words_of(bench, row.figures),
        "pictures": row.pictures,
    }


def delivered_png(path: str, blob: str, side: int) -> bytes:
    """A small picture of a delivered image."""

    def make() -> bytes:
        made = file_thumbnail(path, get_blob(blob), side)
        if made is None:
            raise Refused("There is no picture of it.", path, "It is not an image that is read.")
        return made

    found: bytes = store.get_or_make(
        named("delivered picture", ("trasloco.results.thumbnails",), path, blob, side).key, make
    )
    return found


def sample_out(bench: Bench, material: str, quick: bool) -> dict[str, Any]:
    """A sample, its pictures by the digests they are served by."""
    made, name = sample(bench, material, quick), sample_name(bench, material)
    reference, arrival = (
        named("sample picture", (), name, quick, side).key for side in ("reference", "arrival")
    )
    pictures = {
        "reference": store.blob_of(reference, lambda: made.reference),
        "arrival": store.blob_of(arrival, lambda: made.arrival),
    }
    return {
        "mean": made.mean,
        "p95": made.p95,
        "noise": made.noise,
        "verdict": made.verdict,
        "drawn": list(made.drawn),
        **pictures,
    }


def handover_out(row: Handover, plan_digest: str) -> dict[str, Any]:
    return {
        "id": row.id,
        "number": row.number,
        "destination": row.destination,
        "created": row.created.isoformat(),
        "current": row.plan == plan_digest,
        "files": [
            {"path": path, "size": entry["size"], "purpose": entry.get("for", "")}
            for path, entry in row.files.items()
        ],
        "steps": row.steps,
        "marks": row.marks,
        "packing_list": row.packing_list,
    }


def _radiance(blob: str) -> Any:
    return store.get_or_make(f"radiance {blob}", lambda: proof.radiance_of(get_blob(blob)), keep=False)


def pixel_out(row: ProofRow, view: str, x: int, y: int) -> dict[str, Any]:
    """One pixel of a kept proof on both sides."""
    held = row.pictures.get(view, {})
    figures = next((one for one in row.figures["views"] if one["name"] == view), None)
    if figures is None or "reference_exr" not in held:
        raise Refused("This proof kept no values of its pixels.", f"proof {row.number}", "Prove again.")
    sides = _radiance(held["reference_exr"]), _radiance(held["arrival_exr"])
    return proof.pixel_out(*sides, x, y, float(figures["ev100"]))


def own_pixel_out(row: OwnPicture, x: int, y: int) -> dict[str, Any]:
    """One pixel of one's own picture and of both sides."""
    if row.told is None:
        raise Refused("The picture was not held against anything yet.", row.name, "Hold it first.")
    sides = _radiance(row.pictures["reference_exr"]), _radiance(row.pictures["arrival_exr"])
    return own_pictures.pixel_of(get_blob(row.pictures["mine"]), sides, x, y, row.told)
