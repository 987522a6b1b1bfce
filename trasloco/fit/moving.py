"""What motion becomes where only straight lines are known between keys."""

from __future__ import annotations

import numpy as np

from trasloco.formats.usd_timeline import sampled, straight_times
from trasloco.scene.model import Channel, Clip, Scene
from trasloco.scene.motion import value_at

_BETWEEN = 3
"""Places looked at within each straight piece."""


def straightened_by(scene: Scene, clip: Clip, aspect: str) -> float:
    """The most that any value of a clip's channels differs once its curves are straight pieces; 0 where none is a curve or a step.

    Metres for places, quaternion components for turns, shares for scales and weights. Steps take a ten-thousandth of a second and count as 1e-6.
    """
    worst = 0.0
    for channel in clip.channels:
        if (channel.path == "weights") != (aspect == "shapes") or channel.interpolation == "LINEAR" or len(channel.times_s) < 2:
            continue
        worst = max(worst, 1e-6, _curve(channel) if channel.interpolation == "CUBICSPLINE" else 0.0)
    return worst


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
