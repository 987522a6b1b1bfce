"""The Inventory stop."""

from __future__ import annotations

import math
from dataclasses import asdict
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.formats.assembling import other_models
from trasloco.inputs.table import INPUTS, ORDER
from trasloco.inventory.checks.images import users_of
from trasloco.inventory.media import image_facts
from trasloco.mends.id_colors import id_colors, separation
from trasloco.mends.settling import AXIS_AND_UNIT, believed_axis, believed_unit, decided
from trasloco.results.grouping import holder_of
from trasloco.results.pages.light import lights_out
from trasloco.results.route import Route
from trasloco.results.subject import subject_of
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.extent import bounds
from trasloco.scene.geometry import transform_points, triangle_count
from trasloco.scene.kinds import KINDS, kind_of_part
from trasloco.scene.lengths import unit_name
from trasloco.scene.model import Scene
from trasloco.summary import finding_json, input_json, remnant_json


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


def inventory_out(route: Route) -> dict[str, Any]:
    scene, received = route.settled(), route.received().scene
    findings = route.findings_so_far()
    coming = route.travelling()
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
                "group": scene.nodes[part.parent].name if part.parent is not None else "",
                "parent": holder_of(scene, part.id),
                "layers": list(part.layers),
                "triangles": sum(len(p.indices) for p in primitives),
                "materials": sorted({p.material for p in primitives if p.material}),
                "vertex_colors": any(p.colors is not None for p in primitives),
                "uv_sets": max((len(p.uvs) for p in primitives), default=0),
                "included": part.id in coming,
                "place": made.value if (made := decided(route.decisions, part.id, "place")) else None,
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
        believed_unit(received, route.source, route.decisions),
        believed_axis(received, route.source, route.decisions),
    )
    travelling = route.reference()
    box = bounds(travelling)
    low, high = box if box is not None else (np.zeros(3), np.ones(3))
    grouped = {d.target for d in route.decisions if d.field == "grouped"}
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
            "shift": list(c.shift),
            "matrix": [float(v) for v in world[n.id].T.ravel()],
        }
        for n in scene.nodes.values()
        if (c := scene.cameras.get(n.camera or "")) is not None
    ]
    return {
        "findings": [finding_json(f) for f in findings],
        "parts": parts,
        "subject": sorted(subject_of(route, route.reference())),
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
            "scale": made.value if (made := decided(route.decisions, "scene", "scale")) else 1.0,
        },
        "groups": [
            {
                "id": n.id,
                "name": n.name,
                "parent": holder_of(scene, n.id),
                "place": made.value if (made := decided(route.decisions, n.id, "place")) else None,
                "made": n.id in grouped,
            }
            for n in scene.nodes.values()
            if n.mesh is None and not n.light and not n.camera and n.id != AXIS_AND_UNIT
        ],
        "ids": _ids(received),
        "clips": _clips(received, route),
        "choice": _choice(received, route),
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


def _clips(received: Scene, route: Route) -> list[dict[str, Any]]:
    def kept(id: str) -> bool:
        made = decided(route.decisions, id, "include")
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


def _choice(received: Scene, route: Route) -> dict[str, Any]:
    def of(field: str, fallback: Any) -> Any:
        made = decided(route.decisions, "scene", field)
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


def image_out(route: Route, image_id: str) -> dict[str, Any]:
    """An image's facts, and who reads it.

    Raises:
        Refused: there is no such image, or it cannot be decoded.
    """
    image = route.received().scene.images.get(image_id)
    if image is None:
        raise Refused("There is no picture of it.", image_id, "Relink the image.")
    facts = image_facts(image)
    return {
        "channels": [asdict(one) for one in facts.channels],
        "sees": facts.sees,
        "used_by": _readers(route.settled(), image_id),
        "memory": facts.memory,
    }


def _readers(scene: Scene, image_id: str) -> list[str]:
    return [
        f"{scene.materials[m].name}, {INPUTS[name].label.lower()}" for m, name in users_of(scene, image_id)
    ]


def again_out(route: Route) -> dict[str, Any]:
    found = route.known_again()
    return {"known": found is not None, "remnants": [remnant_json(one) for one in found or ()]}
