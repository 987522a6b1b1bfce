"""What motion becomes where only straight lines are known between keys."""

from __future__ import annotations

import numpy as np

from trasloco.formats.usd_timeline import sampled, straight_times
from trasloco.scene.model import Channel, Clip, Scene
from trasloco.scene.motion import value_at

_BETWEEN = 3
"""Places looked at within each straight piece."""


def straightened_by(scene: Scene, clip: Clip, aspect: str) -> float:
    """The most that any part's place or axes, or any weight, differ once its curves are straight pieces; 0 where none is a curve or a step.

    Metres for places, lengths of axes for turns and scales, shares for weights: what a part's channels differ by, summed. An entry of a rotation matrix changes by at most
    4 sqrt 2 times the largest change of a component of its quaternion, times how much the part is scaled. Steps take a ten-thousandth of a second and count as 1e-6.
    """
    by_node: dict[str, float] = {}
    for channel in clip.channels:
        if (channel.path == "weights") != (aspect == "shapes") or channel.interpolation == "LINEAR" or len(channel.times_s) < 2:
            continue
        gap = _curve(channel) if channel.interpolation == "CUBICSPLINE" else 0.0
        if channel.path == "rotation":
            gap *= 6 * _largest_scale(scene, clip, channel.node)
        by_node[channel.node] = max(by_node.get(channel.node, 0.0) + gap, 1e-6)
    return max(by_node.values(), default=0.0)


def _largest_scale(scene: Scene, clip: Clip, node: str) -> float:
    """How much a part is scaled at most, at rest and at any key."""
    held = [np.abs(value_at(c, float(t))).max() for c in clip.channels if c.node == node and c.path == "scale" for t in c.times_s]
    return max([float(np.linalg.norm(scene.nodes[node].matrix[:3, :3], axis=0).max()), 1.0, *map(float, held)])


def _curve(channel: Channel) -> float:
    times = straight_times(channel)
    values = sampled(channel, times)
    straight = Channel(channel.node, channel.path, times.astype(np.float32), values.astype(np.float32))
    share = (np.arange(_BETWEEN) + 1) / (_BETWEEN + 1)
    inner = (times[:-1, None] + np.diff(times)[:, None] * share).reshape(-1)
    gap = 0.0
    for t in inner.tolist():
        meant, got = value_at(channel, t), value_at(straight, t)
        apart = float(np.abs(meant - got).max())
        if channel.path == "rotation":
            apart = min(apart, float(np.abs(meant + got).max()))
        gap = max(gap, apart)
    return gap
