"""Flat vertex colours that tell pieces apart: which of them would be taken for one another."""

from __future__ import annotations

from collections.abc import Iterator

from trasloco.inventory.context import Context
from trasloco.mends.id_colors import id_colors, look_alikes
from trasloco.scene.findings import Evidence, Finding, Mend
from trasloco.scene.model import Decision

KIND_WORDS = {
    "normal": "full colour sight",
    "protan": "without red cones",
    "deutan": "without green cones",
    "tritan": "without blue cones",
}


def close_ids(context: Context) -> Iterator[Finding]:
    """ID colours nearer than a visible step, or that a person with colour-blind sight could not tell apart."""
    if not context.source.conventions.ids_by_vertex_color:
        return  # flat colours are paint then
    for part, colors in id_colors(context.scene).items():
        name = context.scene.nodes[part].name
        pairs = look_alikes(colors)
        if pairs:
            first, second, sight, difference = pairs[0]
            shown = f"IDs {first + 1} and {second + 1}" + (
                f" and {len(pairs) - 1} more pairs" if len(pairs) > 1 else ""
            )
            merged = any(kind == "normal" for _, _, kind, _ in pairs)
            consequence = (
                "Two materials could merge by accident."
                if merged
                else f"A person {KIND_WORDS[sight]} takes them for one."
            )
            evidence: Evidence = {
                "pairs": [
                    {"a": a, "b": b, "sight": kind, "delta_e": round(d, 2)} for a, b, kind, d in pairs[:50]
                ],
                "colors": colors.tolist(),
            }
            yield Finding(
                f"close_ids:{part}",
                "close_ids",
                "ID colours look alike",
                f"{name} · {shown} · ΔE {difference:.1f} {KIND_WORDS[sight]}",
                consequence,
                (part,),
                34 if merged else 17,
                evidence,
                (Mend("Give them new colours", (Decision(part, "new_id_colors", True),)),),
            )


def id_slots(context: Context) -> Iterator[Finding]:
    """Parts of one material (or none) whose faces are told apart by flat colours, from a source that gives
    IDs so.
    """
    if not context.source.conventions.ids_by_vertex_color:
        return
    for part, colors in id_colors(context.scene).items():
        node = context.scene.nodes[part]
        if len({p.material for p in context.scene.meshes[node.mesh or ""].primitives}) > 1:
            continue
        where = f"{node.name} · {len(colors)} colours, one slot"
        yield Finding(
            f"id_slots:{part}",
            "id_slots",
            "Materials told apart by colour only",
            where,
            "It arrives as one material; who should wear what is lost.",
            (part,),
            56,
            {"count": len(colors)},
            (Mend(f"Make {len(colors)} slots", (Decision(part, "slots_from", "vertex_color"),)),),
        )
