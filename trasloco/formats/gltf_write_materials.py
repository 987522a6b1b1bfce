"""Materials as glTF has them."""

from __future__ import annotations

from typing import Any

import numpy as np

from trasloco.formats.gltf_document import Document
from trasloco.formats.gltf_materials import SLOTS
from trasloco.inputs.spec import PBR, InGltf
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.scene.model import Input, Material


def material_entry(doc: Document, material: Material) -> dict[str, Any]:
    entry: dict[str, Any] = {"name": material.name}
    if doc.options.ids:
        entry["extras"] = {"id": material.id}
    elif material.payload.get("extras"):
        entry["extras"] = material.payload["extras"]
    if material.id in doc.options.material_extras:
        held = entry.get("extras")
        entry["extras"] = {
            **(held if isinstance(held, dict) else {}),
            **doc.options.material_extras[material.id],
        }
    if not doc.options.materials:
        return entry
    for name, slot in SLOTS.items():
        given = material.inputs.get(name)
        if given is None and slot.default not in (None, INPUTS[name].default):
            given = Input(INPUTS[name].default)  # left out, glTF would assume another
        if given is not None:
            _write_slot(doc, entry, name, slot, given)
    pbr = entry.setdefault(PBR, {})
    opacity = material.inputs.get("opacity")
    if opacity is not None and opacity.factor[0] != 1.0 and material.alpha_mode != "opaque":
        pbr["baseColorFactor"] = [*pbr.get("baseColorFactor", [1, 1, 1]), opacity.factor[0]]
    elif "baseColorFactor" in pbr:
        pbr["baseColorFactor"] = [*pbr["baseColorFactor"], 1.0]
    if material.alpha_mode != "opaque":
        entry["alphaMode"] = material.alpha_mode.upper()
        if material.alpha_mode == "mask":
            entry["alphaCutoff"] = material.alpha_cutoff
    if material.double_sided:
        entry["doubleSided"] = True
    if material.unlit:
        entry.setdefault("extensions", {})["KHR_materials_unlit"] = {}
        doc.extensions.add("KHR_materials_unlit")
    return entry


def _write_slot(doc: Document, entry: dict[str, Any], name: str, slot: InGltf, given: Input) -> None:
    spec = INPUTS[name]
    extra: dict[str, Any] = {}
    if given.texture is not None and given.texture.strength != 1.0:
        extra = (
            {"scale": given.texture.strength}
            if name in VECTORS
            else {"strength": given.texture.strength}
            if name == "occlusion"
            else {}
        )
    info = doc.texture_info(given.texture, extra) if given.texture is not None and slot.texture else None
    values = [float(x) for x in given.factor]
    has_factor = (
        bool(slot.factor)
        and tuple(given.factor) != (slot.default or spec.default)
        and all(np.isfinite(values))
    )
    if info is None and not has_factor:
        return
    if slot.extension == PBR:
        holder = entry.setdefault(PBR, {})
    elif slot.extension:
        holder = entry.setdefault("extensions", {}).setdefault(slot.extension, {})
        doc.extensions.add(slot.extension)
    else:
        holder = entry
    if has_factor:
        holder[slot.factor] = values if spec.channels == 3 else values[0]
        if name == "emission" and max(values) > 1:
            holder[slot.factor] = [v / max(values) for v in values]
            entry.setdefault("extensions", {}).setdefault("KHR_materials_emissive_strength", {}).setdefault(
                "emissiveStrength", 1.0
            )
            entry["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"] *= max(values)
            doc.extensions.add("KHR_materials_emissive_strength")
    if info is not None:
        holder[slot.texture] = info
        if slot.lowest[0] and given.texture is not None:
            holder[slot.lowest[0]] = given.texture.floor * values[0]
        if name == "emission" and not has_factor:
            holder[slot.factor] = [1.0, 1.0, 1.0]
