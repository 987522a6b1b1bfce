"""Skins, morphs and clips: weights that do not add up, joints that are gone, motion of nothing, changes a
destination cannot follow.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from trasloco.inventory.context import Context
from trasloco.inventory.marking import names_of
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.model import Decision


def skins(context: Context) -> Iterator[Finding]:
    """Weights of a skinned part that do not add to one, and joints beyond its skin."""
    scene = context.scene
    for part in scene.parts():
        skin = scene.skins.get(part.skin or "")
        off, beyond, points = 0, 0, 0
        for p in scene.meshes[part.mesh or ""].primitives:
            if p.weights is None or p.joints is None:
                continue
            points += len(p.weights)
            off += int((np.abs(p.weights.sum(axis=1) - 1) > 0.01).sum())
            beyond += int((p.joints >= (len(skin.joints) if skin else 0)).any(axis=1).sum())
        if points and skin is None:
            yield Finding(
                f"stiff:{part.id}",
                "stiff",
                "A skin without its joints",
                f"{part.name} · {points} points",
                "The part arrives stiff, in the pose it was modelled in.",
                (part.id,),
                48,
                {"points": points},
            )
        elif off or beyond:
            mends = (Mend("Even out the weights", (Decision(part.id, "even_weights", True),)),)
            yield Finding(
                f"skin_weights:{part.id}",
                "skin_weights",
                "Skin weights do not add up",
                f"{part.name} · {max(off, beyond)} of {points} points",
                "Points lag behind or run ahead of their joints.",
                (part.id,),
                43,
                {"points": off, "joints": beyond},
                mends,
            )


def clips(context: Context) -> Iterator[Finding]:
    """Keys that are not numbers or run backwards, motion of parts that are not there, and very sparse or
    dense keys.
    """
    scene = context.scene
    for clip in scene.clips.values():
        broken = [
            c
            for c in clip.channels
            if not np.isfinite(c.values).all()
            or not np.isfinite(c.times_s).all()
            or (np.diff(c.times_s) <= 0).any()
        ]
        if broken:
            ids = list(dict.fromkeys(c.node for c in broken if c.node in scene.nodes))
            yield Finding(
                f"broken_keys:{clip.id}",
                "broken_keys",
                "Motion with broken keys",
                f"{clip.name} · {names_of(scene, ids)} · {len(broken)} channels",
                "Importers refuse the clip or let the part vanish at those moments.",
                tuple(ids),
                46,
                {"channels": len(broken)},
                (Mend("Leave out these channels", (Decision(clip.id, "drop_broken_keys", True),)),),
            )
        lost = sorted({c.node for c in clip.channels if c.node not in scene.nodes})
        if lost:
            yield Finding(
                f"motion_of_nothing:{clip.id}",
                "motion_of_nothing",
                "Motion of something that is not there",
                f"{clip.name} · {len(lost)} nodes",
                "These channels do nothing and stay behind.",
                (),
                12,
                {"nodes": len(lost)},
            )
