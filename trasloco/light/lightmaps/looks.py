"""What differences of light look like: on a grey surface, at one exposure, through the tone curve that proofs
use.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.render.exposure import auto_ev100, exposed, tone_curve
from trasloco.scene.color import delta_e_of_linear

GREY = 0.5
Floats = npt.NDArray[np.float32]


def metered(lux: Floats) -> float:
    """EV100 for a grey surface that stands in this light, (N, 3) or (H, W, 3)."""
    return auto_ev100(np.asarray(lux.reshape(1, -1, 3) * (GREY / math.pi), np.float32))


def shown(lux: Any, ev100: float) -> Floats:
    """Displayed linear colour of the grey surface, any shape (..., 3)."""
    flat = np.asarray(lux, np.float32).reshape(1, -1, 3)
    return tone_curve(exposed(np.asarray(flat * np.float32(GREY / math.pi), np.float32), ev100)).reshape(
        np.shape(lux)
    )


def difference(first: Any, second: Any, ev100: float) -> Floats:
    """CIEDE2000 between two lights (..., 3)."""
    a, b = shown(first, ev100).reshape(1, -1, 3), shown(second, ev100).reshape(1, -1, 3)
    return np.asarray(delta_e_of_linear(a, b), np.float32).reshape(np.shape(first)[:-1])
