"""Variants of materials as a variant set of a layer's root: what each slot wears under each name."""

from __future__ import annotations

import json
from typing import Any

from pxr import UsdShade

from trasloco.formats.usd_names import VARIANTS, identifier
from trasloco.formats.usd_write_meshes import Meshes
from trasloco.scene.model import Primitive

SET = "looks"


def write_variants(root: Any, names: tuple[str, ...], meshes: Meshes) -> None:
    """Bind what has variants, one variant after the other; the one that is worn now stays selected.

    A binding beside the set would be stronger than all of it, so there is none.
    """
    if not meshes.varied:
        return
    stage, taken = root.GetStage(), set[str]()
    told = {identifier(name, taken): name for name in names}
    worn = [token for token, name in told.items() if all(name not in p.variants for _, p in meshes.varied)]
    now = worn[0] if worn else identifier("as it stands", taken)
    made = root.GetVariantSets().AddVariantSet(SET)
    for token in (*told, *(() if worn else (now,))):
        made.AddVariant(token)
        made.SetVariantSelection(token)
        with made.GetVariantEditContext():
            for path, primitive in meshes.varied:
                _bind(stage.GetPrimAtPath(path), primitive, told.get(token, ""), meshes)
    made.SetVariantSelection(now)
    root.SetCustomDataByKey(VARIANTS, json.dumps(told))


def _bind(prim: Any, primitive: Primitive, name: str, meshes: Meshes) -> None:
    shade = meshes.materials.get(primitive.variants.get(name, primitive.material or ""))
    if shade is not None:
        UsdShade.MaterialBindingAPI.Apply(prim).Bind(shade)
