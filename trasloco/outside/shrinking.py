"""A picture made smaller as a camera would have taken it: light is what adds up over a pixel, not what is
shown of it.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from trasloco.outside.registering import Floats, covered, resized
from trasloco.outside.showing import Shown, displayed_by, undisplayed

_CLIPPED = 0.985
"""Display light from which on a curve says no more how much there was."""


def shrunk(picture: Floats, curve: str, width: int, height: int) -> tuple[Floats, npt.NDArray[np.bool_]]:
    """A picture (H, W, 3), display light, at another size, and where nothing of it was clipped."""
    light = resized(undisplayed(picture, curve), width, height)
    sound = covered(np.asarray((picture <= _CLIPPED).all(axis=-1)), width, height)
    return displayed_by(light, Shown(curve, 0.0)), sound
