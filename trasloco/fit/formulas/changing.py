"""Values along a line, as a fit changes them."""

from __future__ import annotations

from typing import Any

import numpy as np


def changed(values: Any, gain: Any, offset: Any) -> Any:
    """Gain x values + offset within [0, 1], (..., C), or (...) where both have one number."""
    gain, offset = np.asarray(gain, np.float32), np.asarray(offset, np.float32)
    if len(gain) == 1:
        gain, offset = gain[0], offset[0]
    return np.clip(values * gain + offset, 0, 1)
