"""Vertex colours that were left behind by accident."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from trasloco.inventory.context import Context
from trasloco.scene.color import delta_e_of_linear, linear_to_srgb
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.model import Decision

_FLAT, _WHITE = 0.004, 0.02


def leftover_tints(context: Context) -> Iterator[Finding]:
    """One flat colour on a part whose base colour comes from an image: paint varies, and IDs have no image to spoil.

    A colour is also taken for an ID, and left alone, when parts of the same material carry different flat colours.
    """
    scene = context.scene
    flat: dict[str, dict[str, np.ndarray]] = {}  # type: ignore[type-arg]
    for part in scene.parts():
        for primitive in scene.meshes[part.mesh or ""].primitives:
            material = scene.materials.get(primitive.material or "")
            base = material.inputs.get("base_color") if material else None
            if material is None or primitive.colors is None or not len(primitive.colors) or base is None or base.texture is None or not base.vertex_color:
                continue
            rgb = primitive.colors[:, :3]
            if float(np.ptp(rgb, axis=0).max()) < _FLAT and float(np.abs(rgb.mean(axis=0) - 1).max()) > _WHITE:
                flat.setdefault(material.id, {})[part.id] = rgb.mean(axis=0)
    for material_id, parts in flat.items():
        colors = np.array(list(parts.values()))
        if len(parts) > 1 and float(np.ptp(colors, axis=0).max()) > 0.02:
            continue
        color = colors.mean(axis=0)
        grey = np.full(3, 0.3)
        difference = float(delta_e_of_linear(grey, grey * color))
        multiplies = context.destination.materials.vertex_color == "multiplies"
        shown = " ".join(str(int(v)) for v in np.round(linear_to_srgb(color) * 255))
        names = ", ".join(scene.nodes[id].name for id in list(parts)[:3])
        consequence = f"It would multiply into {scene.materials[material_id].name} on arrival: ΔE {difference:.1f} on mid-grey." if multiplies else f"{context.destination.name} ignores vertex colours, but the reference shows it: ΔE {difference:.1f} on mid-grey."
        yield Finding(
            f"leftover_tint:{material_id}", "leftover_tint", "Leftover tint in vertex colours", f"{names} · one colour, {shown}", consequence, tuple(parts), 65 if multiplies else 40,
            {"srgb": [float(v) for v in linear_to_srgb(color)], "delta_e": difference}, (Mend("Remove tint", tuple(Decision(id, "vertex_color", False) for id in parts)),),
        )
