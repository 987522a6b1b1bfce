"""Things nobody wanted: helpers, stand-ins and whatever lies far from the rest."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np

from trasloco.inventory.context import Context
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.kinds import kind_of_part
from trasloco.scene.model import Decision

_LEFT_BEHIND = re.compile(
    r"\b(backup|copy of|delete|do not use|old|temp|tmp|test|unused|wip)\b", re.IGNORECASE
)
"""Names of things that lie about, beside those :mod:`trasloco.scene.kinds` knows for helpers."""


def strays(context: Context) -> Iterator[Finding]:
    """Parts named like helpers, and plain parts outside the box that holds nine tenths of all parts.

    "Plain" means a material without any image that no part inside uses: a decorated or shared thing was
    placed on purpose.
    """
    boxes = context.boxes
    if not boxes:
        return
    ids = list(boxes)
    centers = np.array(list(boxes.values())).mean(axis=1)
    low, high = np.percentile(centers, 5, axis=0), np.percentile(centers, 95, axis=0)
    margin = 0.25 * max(float((high - low).max()), 1e-6)
    beyond = ((centers < low - margin) | (centers > high + margin)).any(axis=1)
    outside = {ids[k] for k in np.flatnonzero(beyond)} if len(boxes) >= 8 else set()
    scene = context.scene
    worn_by = {id: {p.material for p in mesh.primitives} for id, mesh in scene.meshes.items()}
    materials_of = {part.id: worn_by[part.mesh or ""] for part in scene.parts()}
    inside_materials = {m for id, ms in materials_of.items() if id not in outside for m in ms}
    proposed = 0
    for id in boxes:
        name = scene.nodes[id].name
        plain = all(
            m is None
            or (m not in inside_materials and not any(i.texture for i in scene.materials[m].inputs.values()))
            for m in materials_of[id]
        )
        reasons = []
        if _LEFT_BEHIND.search(name) or kind_of_part(scene, id) in ("helper", "reference"):
            reasons.append("its name is that of a helper")
        if id in outside and plain:
            reasons.append("it lies outside the scene and is plain")
        if not reasons or proposed + 1 >= len(boxes):
            continue  # something has to travel
        proposed += 1
        size = boxes[id][1] - boxes[id][0]
        yield Finding(
            f"stray:{id}",
            "stray",
            "Perhaps not meant to travel",
            f"{name} · {size[0]:.2f} × {size[1]:.2f} × {size[2]:.2f} m",
            f"Proposed to stay behind: {' and '.join(reasons)}.",
            (id,),
            45,
            {"reasons": reasons},
            (Mend("Leave out", (Decision(id, "include", False),)),),
        )
