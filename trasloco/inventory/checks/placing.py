"""Where things are: pivots far from their part, a scene far from the origin."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from trasloco.inventory.context import Context
from trasloco.inventory.marking import names_of
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.model import Decision

_PIVOT, _DISTANT = 5.0, 20.0


def far_pivots(context: Context) -> Iterator[Finding]:
    """Parts whose turning point lies several times their own size away from them.

    Parts that share one place as their pivot are left alone: that is the scene's origin.
    """
    scene = context.scene
    world = scene.world_matrices()
    moved = {channel.node for clip in scene.clips.values() for channel in clip.channels}
    ids = list(context.boxes)
    if not ids:
        return
    boxes = np.array([context.boxes[id] for id in ids])
    pivots = np.array([world[id][:3, 3] for id in ids])
    size = np.linalg.norm(boxes[:, 1] - boxes[:, 0], axis=1)
    outside = np.linalg.norm(np.maximum(np.maximum(boxes[:, 0] - pivots, pivots - boxes[:, 1]), 0), axis=1)
    own = np.linalg.norm(pivots, axis=1) >= 1e-6
    far = [ids[k] for k in np.flatnonzero(outside > _PIVOT * size) if own[k] or ids[k] in moved]
    if far:
        mends = (Mend("Put pivots in the middle", tuple(Decision(id, "center_pivot", True) for id in far)),)
        yield Finding(
            "far_pivot:scene",
            "far_pivot",
            "Pivot far from its part",
            f"{names_of(scene, far)} · {len(far)} parts",
            "Turned or sized at the destination, they fly off instead of turning in place.",
            tuple(far),
            20,
            {"parts": len(far)},
            mends,
        )


def far_from_origin(context: Context) -> Iterator[Finding]:
    box = context.box
    if box is None:
        return
    size = float(np.linalg.norm(box[1] - box[0]))
    middle = (box[0] + box[1]) / 2
    distance = float(np.linalg.norm(middle))
    if size > 0 and distance > _DISTANT * size:
        move = [float(-middle[0]), float(-box[0][1]), float(-middle[2])]
        where = f"{distance:.4g} m away, {size:.3g} m across"
        yield Finding(
            "far_from_origin:scene",
            "far_from_origin",
            "The scene lies far from the origin",
            where,
            "Numbers lose their small digits out there: surfaces shimmer and shadows crawl.",
            (),
            32,
            {"distance_m": distance},
            (Mend("Bring it to the origin", (Decision("scene", "move_m", move),)),),
        )
