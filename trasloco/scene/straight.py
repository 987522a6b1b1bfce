"""Motion as straight pieces, for formats that know nothing else between keys."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import numpy.typing as npt

from trasloco.scene.model import Channel
from trasloco.scene.motion import value_at

RATE = 24.0
"""Frames a second where a scene states none."""
STEP_S = 1e-4
"""How long a sudden change takes where only straight lines are known between keys."""
PIECES = 24
"""Straight pieces that stand for one span of a curve."""
Seconds = npt.NDArray[np.float64]


def straight_times(channel: Channel) -> Seconds:
    """Times between which straight lines (great arcs for turns) say what the channel says: its keys, a sudden
    change as two, a curve as many.
    """
    times = channel.times_s.astype(np.float64)
    if channel.interpolation == "STEP" and len(times) > 1:
        late = times[1:] - np.minimum(STEP_S, np.diff(times) / 4)
        return np.unique(np.concatenate([times, late]))
    if channel.interpolation == "CUBICSPLINE" and len(times) > 1:
        return np.unique(np.concatenate([np.linspace(a, b, PIECES + 1) for a, b in pairwise(times)]))
    return np.unique(times)


def sampled(channel: Channel, times: Seconds) -> npt.NDArray[np.float64]:
    """The channel's values (T, C) at times; just before a sudden change it is still what it was."""
    return np.array([value_at(channel, float(t)) for t in times]).reshape(len(times), -1)
