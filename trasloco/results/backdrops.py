"""A backdrop that is white in the picture, whatever the exposure is."""

from __future__ import annotations

import numpy as np

from trasloco.render.exposure import WHITE_POINT, exposed
from trasloco.results.lit import exposure
from trasloco.results.route import Route
from trasloco.scene.model import Decision


def white_nit(ev100: float) -> float:
    """Luminance that the tone curve shows as white: its white point, over what one nit is exposed to."""
    one = float(exposed(np.ones((1, 1, 3), np.float32), ev100).max())
    # A hair above, so that rounding cannot take a code off.
    return WHITE_POINT / one * 1.001


def white(route: Route) -> list[Decision]:
    """A plain backdrop, white at the exposure that both sides are shown at; it gives no light."""
    nit = white_nit(exposure(route))
    return [Decision("environment", "backdrop", {"color": [1.0, 1.0, 1.0], "nit": round(nit, 4)})]
