"""Meshes of a USD stage hung on their skeletons."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
from pxr import UsdSkel

from trasloco.scene.model import MorphTarget, Primitive

if TYPE_CHECKING:
    from trasloco.formats.usd_scene import UsdReader


def bind_skins(reader: UsdReader) -> None:
    """Hang meshes on their skeletons, once all skeletons are known wherever they lie."""
    reader.skeletons.settle(reader.part_of)
    skin_of: dict[str, str] = {}
    for prim, part, mesh, first, points in reader.to_bind:
        skin = reader.skeletons.skin(prim, "", reader.meshes[mesh].name)
        count = max(int(at.max(initial=-1)) + 1 for at in points)
        if skin is None or len(skin[1]) < count:
            continue
        skeleton = str(UsdSkel.BindingAPI(prim).GetInheritedSkeleton().GetPrim().GetPath())
        label = reader.skeletons.names.get(skeleton, reader.meshes[mesh].name)
        known = next(
            (
                s
                for s in reader.skins.values()
                if s.joints == skin[0].joints and np.array_equal(s.inverse_bind, skin[0].inverse_bind)
            ),
            None,
        )
        if known is None:
            known = replace(skin[0], id=reader.notes.ids.make("skin", label), name=label)
            reader.skins[known.id] = known
        skin_of[part] = known.id
        held: list[Primitive] = list(reader.meshes[mesh].primitives)
        for k, at in enumerate(points):
            held[first + k] = replace(held[first + k], joints=skin[1][at], weights=skin[2][at])
        reader.meshes[mesh] = replace(reader.meshes[mesh], primitives=tuple(held))
    for part, id in skin_of.items():
        reader.nodes[part] = replace(reader.nodes[part], skin=id)


def morph_of(table: Any, turns: Any, at: Any) -> MorphTarget:
    return MorphTarget(
        table[at].astype(np.float32), turns[at].astype(np.float32) if turns is not None else None
    )
