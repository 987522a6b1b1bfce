"""Things nobody wanted: helpers, stand-ins and whatever lies far from the rest."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np

from trasloco.inventory.context import Context
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.geometry import transform_points
from trasloco.scene.model import Decision, Doubles

_HELPER = re.compile(r"\b(helper|guide|dummy|placeholder|stand[- ]?in|proxy|temp|tmp|test|work[- ]light|rehearsal|viewpoint|crate|scale figure|reference|ref|backup|old|copy of)\b", re.IGNORECASE)
_AUTO = re.compile(r"^(mesh|object|node|part|piece|group|shape|material|mat|image|texture|untitled|unnamed|default|surface|element|item)?[-_. ]*\d*$", re.IGNORECASE)


def _boxes(context: Context) -> dict[str, Doubles]:
    world = context.scene.world_matrices()
    found: dict[str, Doubles] = {}
    for part in context.scene.parts():
        clouds = [p.positions for p in context.scene.meshes[part.mesh or ""].primitives if len(p.positions)]
        if clouds:
            corners = np.concatenate([[c.min(axis=0), c.max(axis=0)] for c in clouds])
            low, high = corners.min(axis=0), corners.max(axis=0)
            eight = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
            moved = transform_points(world[part.id], eight)
            found[part.id] = np.array([moved.min(axis=0), moved.max(axis=0)])
    return found


def strays(context: Context) -> Iterator[Finding]:
    """Parts named like helpers, and plain parts outside the box that holds nine tenths of all parts.

    "Plain" means a material without any image that no part inside uses: a decorated or shared thing was placed on purpose.
    """
    boxes = _boxes(context)
    if not boxes:
        return
    centers = np.array([box.mean(axis=0) for box in boxes.values()])
    low, high = np.percentile(centers, 5, axis=0), np.percentile(centers, 95, axis=0)
    margin = 0.25 * max(float((high - low).max()), 1e-6)
    outside = {id for id, box in boxes.items() if len(boxes) >= 8 and ((box.mean(axis=0) < low - margin) | (box.mean(axis=0) > high + margin)).any()}
    scene = context.scene
    materials_of = {part.id: {p.material for p in scene.meshes[part.mesh or ""].primitives} for part in scene.parts()}
    inside_materials = {m for id, ms in materials_of.items() if id not in outside for m in ms}
    for id in boxes:
        name = scene.nodes[id].name
        plain = all(m is None or (m not in inside_materials and not any(i.texture for i in scene.materials[m].inputs.values())) for m in materials_of[id])
        reasons = []
        if _HELPER.search(name):
            reasons.append("its name is that of a helper")
        if id in outside and plain:
            reasons.append("it lies outside the scene and is plain")
        if not reasons:
            continue
        size = (boxes[id][1] - boxes[id][0])
        yield Finding(f"stray:{id}", "stray", "Perhaps not meant to travel", f"{name} · {size[0]:.2f} × {size[1]:.2f} × {size[2]:.2f} m", f"Proposed to stay behind: {' and '.join(reasons)}.", (id,), 45, {"reasons": reasons}, (Mend("Leave out", (Decision(id, "include", False),)),))


def automatic_names(context: Context) -> Iterator[Finding]:
    scene = context.scene
    groups = (("parts", [(p.id, p.name) for p in scene.parts()]), ("materials", [(m.id, m.name) for m in scene.materials.values()]))
    for what, items in groups:
        bad = [(id, name) for id, name in items if _AUTO.match(name.strip())]
        if bad:
            shown = ", ".join(name or "(empty)" for _, name in bad[:3])
            yield Finding(f"automatic_names:{what}", "automatic_names", "Names made by a machine", f"{len(bad)} of {len(items)} {what} · {shown}", "Slots and parts cannot be told apart at the destination.", tuple(id for id, _ in bad), 15, {"count": len(bad)})
