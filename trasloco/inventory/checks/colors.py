"""Vertex colours: how they are stored, whether the source shows them, and those that were left behind by
accident.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.inventory.context import Context
from trasloco.inventory.marking import names_of
from trasloco.mends.settling import believed_colors
from trasloco.scene.color import delta_e_of_linear, linear_to_srgb
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.model import Decision

_FLAT, _WHITE = 0.004, 0.02


def stored_colors(context: Context) -> Iterator[Finding]:
    """Vertex colours of a format that does not say how it stores them."""
    believed = believed_colors(context.received, context.source, context.decisions)
    coloured = [
        part.id
        for part in context.received.parts()
        if any(
            p.colors is not None and len(p.colors) and _colored(p.colors)
            for p in context.received.meshes[part.mesh or ""].primitives
        )
    ]
    if believed.origin not in ("guess", "sheet") or not coloured:
        return
    told = (
        f"The file does not say. {context.source.name} stores them so."
        if believed.origin == "sheet"
        else "Nobody says; bytes are mostly what was picked on a screen."
    )
    words = {"srgb": "as picked on a screen", "linear": "as amounts of light"}
    labels = {"srgb": "Stored as sRGB", "linear": "Stored as light"}
    other = "linear" if believed.value == "srgb" else "srgb"
    mends = tuple(
        Mend(labels[value], (Decision("scene", "vertex_color_encoding", value),))
        for value in (believed.value, other)
    )
    where = f"{names_of(context.received, coloured)} · taken {words[believed.value]} · {believed.origin}"
    yield Finding(
        "color_storage:scene",
        "color_storage",
        "Vertex colours in doubt",
        where,
        f"{told} Taken the other way they arrive {'far too dark: half of white becomes a fifth' if believed.value == 'linear' else 'pale: a fifth of white becomes half'}.",
        tuple(coloured),
        30 if believed.origin == "guess" else 12,
        {"encoding": believed.value, "origin": believed.origin},
        mends,
    )


def ignored_colors(context: Context) -> Iterator[Finding]:
    """Colours that vary over a part and that the source, by its sheet, does not show."""
    if context.source.conventions.vertex_color != "ignored":
        return
    scene = context.scene
    parts = [
        part.id
        for part in scene.parts()
        if any(
            p.colors is not None and len(p.colors) and _colored(p.colors)
            for p in scene.meshes[part.mesh or ""].primitives
        )
    ]
    if parts:
        multiplies = context.destination.materials.vertex_color == "multiplies"
        what = (
            f"{context.destination.name} would multiply them in, so they stay behind."
            if multiplies
            else f"{context.destination.name} does not show them either."
        )
        mends = (Mend("Take them out", tuple(Decision(part, "vertex_color", False) for part in parts)),)
        yield Finding(
            "ignored_colors:scene",
            "ignored_colors",
            "Vertex colours that the source does not show",
            f"{names_of(scene, parts)} · {len(parts)} parts",
            f"{context.source.name} passes over them, so nobody has looked at them. {what} If they are paint, the sheet of the source is wrong.",
            tuple(parts),
            28,
            {"parts": len(parts)},
            mends,
        )


def _colored(colors: npt.NDArray[Any]) -> bool:
    """Whether they are anything but plain white."""
    return float(np.abs(colors[:, :3] - 1).max()) > _FLAT


def leftover_tints(context: Context) -> Iterator[Finding]:
    """One flat colour on a part whose base colour comes from an image: paint varies, and IDs have no image to
    spoil.

    A colour is also taken for an ID, and left alone, when parts of the same material carry different flat
    colours.
    """
    scene = context.scene
    flat: dict[str, dict[str, np.ndarray]] = {}  # type: ignore[type-arg]
    for part in scene.parts():
        for primitive in scene.meshes[part.mesh or ""].primitives:
            material = scene.materials.get(primitive.material or "")
            base = material.inputs.get("base_color") if material else None
            if (
                material is None
                or primitive.colors is None
                or not len(primitive.colors)
                or base is None
                or base.texture is None
                or not base.vertex_color
            ):
                continue
            rgb = primitive.colors[:, :3]
            if (
                float(np.ptp(rgb, axis=0).max()) < _FLAT
                and float(np.abs(rgb.mean(axis=0) - 1).max()) > _WHITE
            ):
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
        consequence = (
            f"It would multiply into {scene.materials[material_id].name} on arrival: ΔE {difference:.1f} on mid-grey."
            if multiplies
            else f"{context.destination.name} ignores vertex colours, but the reference shows it: ΔE {difference:.1f} on mid-grey."
        )
        yield Finding(
            f"leftover_tint:{material_id}",
            "leftover_tint",
            "Leftover tint in vertex colours",
            f"{names} · one colour, {shown}",
            consequence,
            tuple(parts),
            65 if multiplies else 40,
            {"srgb": [float(v) for v in linear_to_srgb(color)], "delta_e": difference},
            (Mend("Remove tint", tuple(Decision(id, "vertex_color", False) for id in parts)),),
        )
