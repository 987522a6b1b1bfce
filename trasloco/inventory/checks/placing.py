"""Where things are: pivots far from their part, a scene far from the origin."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from trasloco.inventory.checks.belonging import strays
from trasloco.inventory.context import Context
from trasloco.inventory.marking import names_of
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.model import Decision, Doubles
from trasloco.scene.welding import joined

_PIVOT, _DISTANT = 5.0, 20.0
_TOUCHING, _ALOFT, _FEW, _MOST = 0.004, 0.03, 0.1, 4000
"""Boxes that are so near touch, and what stands so high hangs, as shares of the scene's size; no more than
this share of its parts, of which there are at most so many.
"""


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


def in_the_air(context: Context) -> Iterator[Finding]:
    """Parts that nothing holds: neither they nor what they touch reaches down to where the scene stands.

    Boxes that meet are taken to touch, so what hangs on a string is held. Where much hangs, hanging is meant.
    """
    scene, box = context.scene, context.box
    moved = {channel.node for clip in scene.clips.values() for channel in clip.channels}
    ids = [id for id in context.boxes if scene.nodes[id].skin is None]
    if box is None or not 1 < len(ids) <= _MOST or len(scene.skins) or moved:
        return
    boxes = np.array([context.boxes[id] for id in ids])
    size = float(np.linalg.norm(box[1] - box[0]))
    near = np.ones((len(ids), len(ids)), bool)
    for axis in range(3):
        low, high = boxes[:, 0, axis], boxes[:, 1, axis]
        near &= low[:, None] <= high[None] + _TOUCHING * size
        near &= low[None] <= high[:, None] + _TOUCHING * size
    one, other = np.nonzero(near)
    held = joined(one, other, len(ids))
    lowest = np.full(held.max() + 1, np.inf)
    np.minimum.at(lowest, held, boxes[:, 0, 1])
    # What is perhaps not meant to travel at all is told as that.
    apart = {target for finding in strays(context) for target in finding.targets}
    aloft = lowest > box[0, 1] + _ALOFT * size
    if np.isin(held, np.flatnonzero(aloft)).mean() > _FEW:
        return
    for group in np.flatnonzero(aloft):
        own = np.flatnonzero(held == group)
        parts = [ids[k] for k in own]
        if apart.issuperset(parts):
            continue
        above = float(lowest[group] - box[0, 1])
        beneath = _beneath(boxes, own)
        mends = [Mend("Stand on the ground", tuple(Decision(id, "stand_on_ground", True) for id in parts))]
        if len(parts) == 1 and beneath is not None:
            onto = ids[beneath]
            mends.insert(
                0, Mend(f"Stand on {scene.nodes[onto].name}", (Decision(parts[0], "stand_on", onto),))
            )
        yield Finding(
            f"in_the_air:{parts[0]}",
            "in_the_air",
            "Hangs in the air",
            f"{names_of(scene, parts)} · {above:.2g} m up",
            "It touches nothing, and nothing that it touches stands on anything. Its shadow falls apart from it.",
            tuple(parts),
            18,
            {"height_m": above},
            tuple(mends),
        )


def _beneath(boxes: Doubles, own: npt.NDArray[np.int64]) -> int | None:
    """The highest part under a group's middle, by its box."""
    middle = (boxes[own, 0].min(axis=0) + boxes[own, 1].max(axis=0)) / 2
    under = [
        k
        for k in range(len(boxes))
        if k not in own
        and (boxes[k, 0, [0, 2]] <= middle[[0, 2]]).all()
        and (boxes[k, 1, [0, 2]] >= middle[[0, 2]]).all()
        and boxes[k, 1, 1] <= middle[1]
    ]
    return max(under, key=lambda k: float(boxes[k, 1, 1]), default=None)
