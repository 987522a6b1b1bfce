"""Variants of a USD layer, each as a scene of its own."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import numpy as np
from pxr import Usd

from trasloco.formats.bundle import Bundle
from trasloco.formats.reading import Notes
from trasloco.formats.usd_names import VARIANTS
from trasloco.formats.usd_scene import UsdReader
from trasloco.scene.model import Scene

MOST_VARIANTS = 8


def variants_of(stage: Any) -> list[tuple[Any, str, str]]:
    """(prim path, set, variant) of every selection beside the one made."""
    found: list[tuple[Any, str, str]] = []
    for prim in stage.Traverse():
        sets = prim.GetVariantSets()
        for name in sets.GetNames():
            one = sets.GetVariantSet(name)
            found += [
                (prim.GetPath(), name, v) for v in one.GetVariantNames() if v != one.GetVariantSelection()
            ]
    return found


def scene_with_variants(
    scene: Scene, stage: Any, path: str, files: Bundle, variants: list[tuple[Any, str, str]], notes: Notes
) -> Scene:
    """Other selections whose meshes are the same and wear other materials become variants; others are told."""
    names: list[str] = []
    for prim_path, set_name, variant in variants[:MOST_VARIANTS]:
        ours = _named_here(stage.GetPrimAtPath(prim_path))
        one = stage.GetPrimAtPath(prim_path).GetVariantSets().GetVariantSet(set_name)
        before = one.GetVariantSelection()
        stage.SetEditTarget(Usd.EditTarget(stage.GetSessionLayer()))
        one.SetVariantSelection(variant)
        other_notes = Notes(path, notes.bundle, used=notes.used)
        other = UsdReader(stage, path, files, other_notes).scene()
        one.SetVariantSelection(before)
        label = ours.get(variant, f"{set_name} {variant}")
        names += [name for name in (ours.get(before),) if name is not None and name not in names]
        same = list(other.meshes) == list(scene.meshes) and all(
            len(a.primitives) == len(b.primitives)
            and all(
                np.array_equal(p.positions, q.positions)
                for p, q in zip(a.primitives, b.primitives, strict=True)
            )
            for a, b in zip(scene.meshes.values(), other.meshes.values(), strict=True)
        )
        if not same:
            notes.note(
                "assumed",
                "A variant changes more than materials",
                label,
                f"It stays behind; the selection made in the file ({before}) travels.",
                weight=15,
            )
            continue
        renamed = {
            m.id: f"{m.id}@{variant}" if m.id not in scene.materials or scene.materials[m.id] != m else m.id
            for m in other.materials.values()
        }
        materials = {renamed[m.id]: replace(m, id=renamed[m.id]) for m in other.materials.values()}
        meshes = {
            id: replace(
                mesh,
                primitives=tuple(
                    replace(p, variants={**p.variants, label: renamed[q.material]})
                    if q.material and renamed[q.material] != p.material
                    else p
                    for p, q in zip(mesh.primitives, other.meshes[id].primitives, strict=True)
                ),
            )
            for id, mesh in scene.meshes.items()
        }
        scene = replace(
            scene,
            meshes=meshes,
            materials={**scene.materials, **materials},
            images={**other.images, **scene.images},
        )
        names.append(label)
    if len(variants) > MOST_VARIANTS:
        notes.note(
            "assumed",
            "More variants than are read",
            f"{len(variants)} selections",
            f"The first {MOST_VARIANTS} are offered.",
            weight=10,
        )
    return replace(scene, variants=tuple(names))


def _named_here(prim: Any) -> dict[str, str]:
    """Names of variants by their tokens, where the layer was written here."""
    try:
        told = json.loads(str(prim.GetCustomDataByKey(VARIANTS)))
    except ValueError:
        return {}
    return {str(k): str(v) for k, v in told.items()} if isinstance(told, dict) else {}
