"""Results as plain JSON-able values: one shape for the command line, the server and whoever reads along."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping
from typing import TYPE_CHECKING, Any

from trasloco.decisions.kinds import on_the_wire
from trasloco.fit.steps import is_pictured
from trasloco.inputs.table import INPUTS
from trasloco.mends.layer_values import layer_value
from trasloco.scene.findings import Finding
from trasloco.scene.layers import blends_of, lie_alike
from trasloco.scene.model import Input, Scene

if TYPE_CHECKING:
    from trasloco.fit.model import Crossing, Plan
    from trasloco.inventory.again import Remnant
    from trasloco.proof.causes import Causes
    from trasloco.proof.figure import Figure
    from trasloco.proof.proving import Proof
    from trasloco.proof.sequence import Frame
    from trasloco.proof.suspect import Suspect


def finding_json(finding: Finding) -> dict[str, Any]:
    return {
        "id": finding.id,
        "kind": finding.kind,
        "title": finding.title,
        "where": finding.where,
        "consequence": finding.consequence,
        "targets": list(finding.targets),
        "weight": finding.weight,
        "evidence": dict(finding.evidence),
        "state": finding.state,
        "mends": [
            {
                "label": mend.label,
                "nature": mend.nature,
                "decisions": [on_the_wire(d) for d in mend.decisions],
            }
            for mend in finding.mends
        ],
    }


def remnant_json(remnant: Remnant) -> dict[str, Any]:
    return {**finding_json(remnant.finding), "why": remnant.why}


def input_json(name: str, given: Input, scene: Scene) -> dict[str, Any]:
    image = scene.images.get(given.texture.image) if given.texture else None
    texture = given.texture
    return {
        "name": name,
        "label": INPUTS[name].label,
        "factor": [v if abs(v) != float("inf") else None for v in given.factor],
        "vertex_color": given.vertex_color,
        "origin": given.origin,
        "image": texture.image if texture else None,
        "file": image.name if image else None,
        "channels": texture.channels if texture else None,
        "invert": bool(texture and texture.invert),
        "uv_set": texture.uv_set if texture else 0,
        "offset": list(texture.offset) if texture else [0, 0],
        "scale": list(texture.scale) if texture else [1, 1],
        "rotation_rad": texture.rotation_rad if texture else 0,
        "wrap": list(texture.wrap) if texture else ["repeat", "repeat"],
        "strength": texture.strength if texture else 1,
        "green_up": texture.green_up if texture else True,
        "space": (texture.space or texture.encoding) if texture else "linear",
        "layers": [layer_value(layer) for layer in given.layers],
        "layers_alike": lie_alike(given),
        "blends": blends_of(name),
    }


def crossing_json(crossing: Crossing, scene: Scene) -> dict[str, Any]:
    own = (
        scene.materials[crossing.material].inputs.get(crossing.name)
        if crossing.material in scene.materials
        else None
    )
    # On its way a layered number is given an image to lie like; what it is in the reference is told.
    given = own if own is not None and own.layers else crossing.given
    return {
        "id": crossing.id,
        "material": crossing.material,
        "name": crossing.name,
        "label": crossing.label,
        "given": input_json(crossing.name, given, scene),
        "steps": [
            {
                "kind": step.kind,
                "text": step.text,
                "pictured": is_pictured(step),
                "baked": bool(step.settings.get("bake")),
                "cutoff": step.settings.get("cutoff"),
            }
            for step in crossing.steps
        ],
        "mark": crossing.mark,
        "reason": crossing.reason,
        "error_codes": crossing.error,
        "rms": crossing.rms,
        "lands": {
            "input": INPUTS[crossing.landing.input].label if crossing.landing.input else None,
            "name": crossing.landing.input or None,
            "image": crossing.landing.image or None,
            "channel": crossing.landing.channel or None,
            "value": [v if abs(v) != float("inf") else None for v in crossing.landing.value],
        },
    }


def marks(plan: Plan) -> dict[str, int]:
    """How many crossings and lights carry each mark."""
    counted = (
        Counter(c.mark for c in plan.crossings)
        + Counter(c.mark for c in plan.lights)
        + Counter(m.mark for m in plan.meshes)
    )
    return {mark: counted.get(mark, 0) for mark in ("exact", "close", "lost", "blocked")}


def plan_json(plan: Plan, scene: Scene) -> dict[str, Any]:
    return {
        "destination": plan.destination,
        "marks": marks(plan),
        "crossings": [crossing_json(c, scene) for c in plan.crossings],
        "images": [
            {
                "path": i.path,
                "materials": [i.material, *i.others],
                "set": i.set,
                "width": i.width,
                "height": i.height,
                "depth": 16 if i.file_depth > 16 else i.depth,
                "kind": i.kind,
                "encoding": i.encoding,
                "channels": _channels(plan, i),
            }
            for i in plan.images
        ],
        "lights": [{"light": c.light, "text": c.text, "mark": c.mark} for c in plan.lights],
        "geometry": [step.text for step in plan.geometry],
        "meshes": [
            {
                "mesh": m.mesh,
                "parts": list(m.parts),
                "text": m.text,
                "mark": m.mark,
                "before": m.before,
                "after": m.after,
                "largest_m": m.largest_m,
                "mean_m": m.mean_m,
                "reason": m.reason,
            }
            for m in plan.meshes
        ],
        "alpha": dict(plan.alpha),
    }


def _channels(plan: Plan, image: Any) -> list[dict[str, str]]:
    names = {c.id: INPUTS[c.landing.input].label.lower() for c in plan.crossings if c.landing.input}
    held = {letter: names.get(id, "") for channel, id in image.channels.items() for letter in channel}
    return [
        {
            "letter": letter.upper(),
            "holds": held.get(letter) or (f"{image.fill[letter]:g}" if letter in image.fill else "—"),
        }
        for letter in "rgba"
    ]


def figure_json(figure: Figure) -> dict[str, float]:
    """A figure with its interval."""
    return {
        "value": figure.value,
        "low": figure.low,
        "high": figure.high,
        "raw": figure.raw,
        "noise": figure.noise,
        "cover": figure.cover,
    }


def _worst_json(proof: Proof, scene: Scene) -> dict[str, Any] | None:
    share = proof.worst.comparison.worst_material
    if share is None:
        return None
    return {
        "id": share.id,
        "name": scene.materials[share.id].name if share.id in scene.materials else "No material",
        **figure_json(share.figure),
    }


def proof_json(proof: Proof, scene: Scene) -> dict[str, Any]:
    worst = proof.worst
    return {
        "verdict": proof.verdict,
        "at_least": proof.at_least,
        "stand_in": proof.stand_in,
        "unseen": list(proof.unseen),
        "dark": list(proof.dark),
        "judged": worst.comparison.judged,
        "frame": figure_json(worst.comparison.frame),
        "subject": figure_json(worst.comparison.subject),
        "worst_material": _worst_json(proof, scene),
        "mean": worst.comparison.mean,
        "p95": worst.comparison.p95,
        "noise": worst.comparison.noise,
        "worst_view": worst.view.name,
        "views": [
            {
                "name": one.view.name,
                "window": list(one.view.window),
                "ev100": one.ev100,
                "frame": figure_json(one.comparison.frame),
                "subject": figure_json(one.comparison.subject),
                "judged": one.comparison.judged,
                "mean": one.comparison.mean,
                "p95": one.comparison.p95,
                "noise": one.comparison.noise,
                "error": one.comparison.error,
                "significant": one.comparison.significant,
                "flip": one.comparison.flip_mean,
                "ssim": one.comparison.ssim,
                "samples": round(one.reference.spent, 1),
                "width": one.comparison.delta_e.shape[1],
                "height": one.comparison.delta_e.shape[0],
                "seconds": list(one.seconds),
                "rays": one.reference.rays + one.arrival.rays,
                "materials": [
                    {
                        "id": s.id,
                        "name": scene.materials[s.id].name if s.id in scene.materials else "No material",
                        "mean": s.mean,
                        "cover": s.cover,
                        "noise": s.noise,
                        "significant": s.significant,
                        "value": s.figure.value,
                        "low": s.figure.low,
                        "high": s.figure.high,
                    }
                    for s in one.comparison.materials
                ],
                "parts": [
                    {
                        "id": s.id,
                        "name": scene.nodes[s.id].name if s.id in scene.nodes else "A light",
                        "mean": s.mean,
                        "cover": s.cover,
                        "noise": s.noise,
                        "significant": s.significant,
                        "value": s.figure.value,
                        "low": s.figure.low,
                        "high": s.figure.high,
                    }
                    for s in one.comparison.parts
                ],
            }
            for one in proof.views
        ],
    }


def frame_json(frame: Frame) -> dict[str, Any]:
    found = frame.comparison
    return {
        "number": frame.number,
        "time_s": frame.time_s,
        "ev100": frame.ev100,
        "judged": found.judged,
        "subject": figure_json(found.subject),
        "frame": figure_json(found.frame),
        "seconds": frame.seconds,
    }


def causes_json(causes: Causes, fitted: Mapping[str, Collection[str]] | None = None) -> dict[str, Any]:
    """Causes; ``fitted``: inputs by material that a nearest look stands in for."""
    return {
        "view": causes.view,
        "mean": causes.mean,
        "remainder": causes.remainder,
        "untried": causes.untried,
        "seconds": causes.seconds,
        "causes": [
            {
                "id": c.suspect.id,
                "kind": c.suspect.kind,
                "label": c.suspect.label,
                "where": c.suspect.where,
                "reason": c.suspect.reason,
                "target": c.suspect.target,
                "share": c.share,
                "noise": c.noise,
                "significant": c.significant,
                "cure": _cure_of(c.suspect, fitted or {}),
            }
            for c in causes.causes
        ],
    }


def _cure_of(suspect: Suspect, fitted: Mapping[str, Collection[str]]) -> dict[str, str]:
    """Where a cause can be mended: the stop, what is shown there, and in words."""
    material, _, name = suspect.id.rpartition("/")
    if suspect.kind == "light":
        return {"stop": "light", "words": "See in Light", "show": "", "material": "", "crossing": ""}
    if suspect.kind == "geometry":
        return {"stop": "fit", "words": "Change its limit", "show": "meshes", "material": "", "crossing": ""}
    if name in fitted.get(material, ()):
        return {
            "stop": "fit",
            "words": "Nearest look",
            "show": "nearest",
            "material": material,
            "crossing": "",
        }
    crossing = f"{material}/{name}" if suspect.kind == "input" else ""
    return {"stop": "fit", "words": "Change in Fit", "show": "", "material": material, "crossing": crossing}
