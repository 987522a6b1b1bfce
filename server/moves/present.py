"""From a bench to the shapes of the API."""

from __future__ import annotations

import math
from dataclasses import asdict
from functools import lru_cache
from typing import Any

import numpy as np

from server.moves.bench import Bench
from server.moves.lights import lights_out
from server.moves.models import DecisionRow, Handover, ProofRow
from server.moves.store import get_blob, store
from trasloco.accounts.telling import accounts_json
from trasloco.decisions.kinds import in_force, on_the_wire
from trasloco.decisions.wording import in_words
from trasloco.errors import Refused
from trasloco.fit.families.sets import Proposal
from trasloco.fit.memory import arrival_bytes, next_smaller, saved_at
from trasloco.formats.assembling import other_models
from trasloco.inventory.checks.images import users_of
from trasloco.inventory.checks.size import unit_name
from trasloco.inventory.media import image_facts
from trasloco.mends.id_colors import id_colors, separation
from trasloco.mends.settling import believed_axis, believed_unit, decided
from trasloco.proof.light_there import is_lit
from trasloco.proof.picturing import pixel_at
from trasloco.proof.staging import TARGET, limits_of, views_for
from trasloco.results.looking import families
from trasloco.results.name import named
from trasloco.results.samples import sample, sample_name
from trasloco.results.thumbnails import file_thumbnail
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.extent import bounds
from trasloco.scene.geometry import transform_points, triangle_count
from trasloco.scene.images import identify, pixels, unit_floats
from trasloco.scene.inputs import INPUTS, ORDER
from trasloco.scene.kinds import KINDS, kind_of_part
from trasloco.scene.model import Decision, Scene
from trasloco.scene.resolve import color_of
from trasloco.scene.spaces import SPACES
from trasloco.summary import finding_json, input_json, plan_json, remnant_json


def materials_out(scene: Scene) -> list[dict[str, Any]]:
    used: dict[str, int] = {}
    for part in scene.parts():
        for id in {p.material for p in scene.meshes[part.mesh or ""].primitives if p.material}:
            used[id] = used.get(id, 0) + 1
    return [
        {
            "id": m.id,
            "name": m.name,
            "parts": used.get(m.id, 0),
            "alpha_mode": m.alpha_mode,
            "alpha_cutoff": m.alpha_cutoff,
            "double_sided": m.double_sided,
            "back": m.back,
            "inputs": [
                input_json(name, m.inputs[name], scene)
                for name in sorted(m.inputs, key=lambda key: ORDER[key])
            ],
        }
        for m in scene.materials.values()
    ]


def inventory_out(bench: Bench) -> dict[str, Any]:
    scene, received = bench.settled(), bench.received().scene
    findings, surveyed = bench.findings_so_far(), bench.surveyed()
    coming = bench.travelling()
    world = scene.world_matrices()
    parts = []
    for part in scene.parts():
        primitives = scene.meshes[part.mesh or ""].primitives
        clouds = [transform_points(world[part.id], p.positions) for p in primitives if len(p.positions)]
        cloud = np.concatenate(clouds) if clouds else np.zeros((1, 3))
        parts.append(
            {
                "id": part.id,
                "name": part.name,
                "group": scene.nodes[part.parent].name if part.parent in scene.nodes else "",
                "layers": list(part.layers),
                "triangles": sum(len(p.indices) for p in primitives),
                "materials": sorted({p.material for p in primitives if p.material}),
                "vertex_colors": any(p.colors is not None for p in primitives),
                "uv_sets": max((len(p.uvs) for p in primitives), default=0),
                "included": part.id in coming,
                "place": made.value if (made := decided(bench.decisions, part.id, "place")) else None,
                "kind": kind_of_part(scene, part.id),
                "tags": {
                    "surface": part.tags.surface,
                    "collision": part.tags.collision,
                    "still": part.tags.still,
                    "casts_shadow": part.tags.casts_shadow,
                },
                "size_m": [float(v) for v in np.ptp(cloud, axis=0)],
            }
        )
    unit, axis = (
        believed_unit(received, bench.source, bench.decisions),
        believed_axis(received, bench.source, bench.decisions),
    )
    travelling = bench.reference()
    box = bounds(travelling)
    low, high = box if box is not None else (np.zeros(3), np.ones(3))
    images = [
        {
            "id": i.id,
            "name": i.name,
            "path": i.path,
            "kind": i.kind,
            "width": i.width,
            "height": i.height,
            "channels": i.channels,
            "depth": i.depth,
            "size": len(i.data),
            "problem": i.problem,
            "used_by": _readers(scene, i.id),
        }
        for i in received.images.values()
    ]
    cameras = [
        {
            "id": c.id,
            "name": c.name,
            "yfov_deg": math.degrees(c.yfov_rad),
            "aspect": c.aspect,
            "matrix": [float(v) for v in world[n.id].T.ravel()],
        }
        for n in scene.nodes.values()
        if (c := scene.cameras.get(n.camera or "")) is not None
    ]
    return {
        "findings": [finding_json(f) for f in findings],
        "surveyed": surveyed,
        "parts": parts,
        "materials": materials_out(scene),
        "images": images,
        "cameras": cameras,
        "lights": lights_out(scene, received, {}),
        "size": {
            "unit_m": unit.value,
            "unit_name": unit_name(unit.value),
            "unit_origin": unit.origin,
            "up_axis": axis.value,
            "axis_origin": axis.origin,
            "low_m": [float(v) for v in low],
            "high_m": [float(v) for v in high],
            "triangles": triangle_count(travelling),
            "scale": made.value if (made := decided(bench.decisions, "scene", "scale")) else 1.0,
        },
        "groups": [
            {"id": n.id, "name": n.name}
            for n in scene.nodes.values()
            if n.mesh is None and not n.light and not n.camera
        ],
        "ids": _ids(received),
        "clips": _clips(received, bench),
        "choice": _choice(received, bench),
        "view": bench.view_blob(),
        "received_view": bench.received_view_blob(),
    }


def _ids(received: Scene) -> list[dict[str, Any]]:
    return [
        {
            "part": part,
            "colors": linear_to_srgb(colors).tolist(),
            "separation": {k: (v if math.isfinite(v) else None) for k, v in separation(colors).items()},
        }
        for part, colors in id_colors(received).items()
    ]


def _clips(received: Scene, bench: Bench) -> list[dict[str, Any]]:
    def kept(id: str) -> bool:
        made = decided(bench.decisions, id, "include")
        return made is None or made.value is not False

    return [
        {
            "id": c.id,
            "name": c.name,
            "seconds": float(max((ch.times_s.max() for ch in c.channels if len(ch.times_s)), default=0)),
            "channels": len(c.channels),
            "included": kept(c.id),
        }
        for c in received.clips.values()
    ]


def _choice(received: Scene, bench: Bench) -> dict[str, Any]:
    def of(field: str, fallback: Any) -> Any:
        made = decided(bench.decisions, "scene", field)
        return fallback if made is None else made.value

    return {
        "rules": of("leave_out", []),
        "geometry_only": of("geometry_only", False),
        "join": of("join", "apart"),
        "variant": of("variant", ""),
        "variants": list(received.variants),
        "kinds": KINDS,
        "other_models": other_models(received),
    }


def image_out(bench: Bench, image_id: str) -> dict[str, Any]:
    """An image's facts, and who reads it.

    Raises:
        Refused: there is no such image, or it cannot be decoded.
    """
    image = bench.received().scene.images.get(image_id)
    if image is None:
        raise Refused("There is no picture of it.", image_id, "Relink the image.")
    facts = image_facts(image)
    return {
        "channels": [asdict(one) for one in facts.channels],
        "sees": facts.sees,
        "used_by": _readers(bench.settled(), image_id),
        "memory": facts.memory,
    }


def _readers(scene: Scene, image_id: str) -> list[str]:
    return [
        f"{scene.materials[m].name}, {INPUTS[name].label.lower()}" for m, name in users_of(scene, image_id)
    ]


def fit_out(bench: Bench) -> dict[str, Any]:
    plan, scene = bench.plan(), bench.reference()
    made = plan_json(plan, scene)
    for told, planned in zip(made["images"], plan.images, strict=True):
        side = next_smaller(planned)
        told |= {
            "memory": arrival_bytes(planned),
            "smaller_side": side,
            "saved": saved_at(planned, side) if side else 0,
        }
    holding = in_force(bench.decisions)
    sizes = {d.target: d.value for d in holding if d.field == "largest_side" and d.value}
    shared = {d.target: str(d.value) for d in holding if d.field == "factor_like" and d.value}
    for crossing in made["crossings"]:
        other, _, name = shared.get(crossing["id"], "").rpartition("/")
        crossing["like"] = (
            f"{scene.materials[other].name}, {INPUTS[name].label.lower()}"
            if other in scene.materials and name in INPUTS
            else None
        )
    return {
        "meshes": [
            {**m, "parts": [scene.nodes[part].name for part in m["parts"] if part in scene.nodes]}
            for m in made["meshes"]
        ],
        "sizes": sizes,
        "spaces": list(SPACES),
        "crossings": made["crossings"],
        "images": made["images"],
        "materials": materials_out(scene),
        "geometry": made["geometry"],
        "marks": made["marks"],
        "version": bench.landed_name.key,
    }


def history_out(bench: Bench) -> list[dict[str, Any]]:
    """What was decided, newest last, in words; of a large batch the first few."""
    scene, idle = bench.received().scene, bench.idle()
    batches: dict[int, list[DecisionRow]] = {}
    for row in bench.move.decisions.all():
        batches.setdefault(row.batch, []).append(row)
    return [
        {
            "batch": batch,
            "undone": rows[0].undone,
            "count": len(rows),
            "created": rows[0].created.isoformat(),
            "idle": sum((r.target, r.field) in idle for r in rows if not r.undone),
            "words": [in_words(Decision(r.target, r.field, r.value), scene) for r in rows[:4]],
        }
        for batch, rows in sorted(batches.items())
    ]


def families_out(bench: Bench) -> dict[str, Any]:
    offered, unsure = families(bench)
    images = bench.received().scene.images
    return {
        "proposals": [proposal_out(bench, one) for one in offered],
        "unsure": [
            {"image": m.image, "file": images[m.image].name, "reason": m.found.reason}
            for m in unsure
            if m.image in images
        ],
    }


def proposal_out(bench: Bench, made: Proposal) -> dict[str, Any]:
    images = bench.received().scene.images
    fillings = [
        {
            "input": f.input,
            "label": INPUTS[f.input].label,
            "image": f.image,
            "file": images[f.image].name,
            "channels": f.channels,
            "inverted": any(isinstance(d.value, dict) and d.value.get("invert") for d in f.decisions),
            "reason": f.reason,
            "decisions": [on_the_wire(d) for d in f.decisions],
        }
        for f in made.fillings
    ]
    passed = [
        {"image": m.image, "file": images[m.image].name, "reason": m.passed_over}
        for m in made.set.members
        if m.passed_over
    ]
    return {
        "material": made.material,
        "material_name": bench.reference().materials[made.material].name,
        "set": made.set.name,
        "reason": made.reason,
        "fillings": fillings,
        "passed_over": passed,
    }


def again_out(bench: Bench) -> dict[str, Any]:
    found = bench.known_again()
    return {"known": found is not None, "remnants": [remnant_json(one) for one in found or ()]}


def proofs_out(bench: Bench) -> dict[str, Any]:
    scene = bench.reference()
    limits = limits_of(bench.decisions)
    kept = (
        next((d.value for d in in_force(bench.decisions) if d.target == TARGET and d.field == "views"), None)
        or []
    )
    return {
        "lit": is_lit(scene),
        "proofs": [proof_out(row, bench) for row in bench.move.proofs.all()],
        "views": [view.name for view in views_for(scene, bench.decisions)],
        "kept": [dict(view) for view in kept],
        "accepted": [
            d.target
            for d in in_force(bench.decisions)
            if d.field == "accept" and d.value and d.target.startswith("cause:")
        ],
        "limits": [limits.not_seen, limits.hardly_seen, limits.seen_when_compared],
        "clips": [
            {
                "id": c.id,
                "name": c.name,
                "seconds": float(max((ch.times_s[-1] for ch in c.channels if len(ch.times_s)), default=0.0)),
            }
            for c in scene.clips.values()
        ],
        "surroundings": [
            {"id": i.id, "name": i.name}
            for i in bench.received().scene.images.values()
            if i.floating and i.usable
        ],
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
        "pictures": row.pictures,
    }


def accounts_out(bench: Bench) -> dict[str, Any]:
    known = bench.known_accounts()
    if known is None:
        return {"known": False, "version": bench.accounts_name.key}
    scene = bench.reference()
    counts = (
        ("part", len(scene.parts())),
        ("material", len(scene.materials)),
        ("image", len(scene.images)),
        ("light", len(scene.lights)),
        ("camera", len(scene.cameras)),
        ("clip", len(scene.clips)),
    )
    things = ", ".join(f"{count} {name}{'' if count == 1 else 's'}" for name, count in counts if count)
    return {
        "known": True,
        "version": bench.accounts_name.key,
        "things": things,
        **accounts_json(known, bench.decisions),
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
        "files": [{"path": path, "size": entry["size"]} for path, entry in row.files.items()],
        "marks": row.marks,
        "packing_list": row.packing_list,
    }


@lru_cache(maxsize=8)
def _radiance(blob: str) -> Any:
    """Radiance of a kept picture, (H, W, 3)."""
    return unit_floats(color_of(pixels(identify("picture", "picture", "picture.exr", get_blob(blob)))))


def pixel_out(row: ProofRow, view: str, x: int, y: int) -> dict[str, Any]:
    held = row.pictures.get(view, {})
    figures = next((one for one in row.figures["views"] if one["name"] == view), None)
    if figures is None or "reference_exr" not in held:
        raise Refused("This proof kept no values of its pixels.", f"proof {row.number}", "Prove again.")
    found = pixel_at(
        _radiance(held["reference_exr"]), _radiance(held["arrival_exr"]), x, y, float(figures["ev100"])
    )
    return {
        "x": x,
        "y": y,
        "linear": [list(v) for v in found.linear],
        "srgb": [list(v) for v in found.srgb],
        "delta_e": found.delta_e,
    }
