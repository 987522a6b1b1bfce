"""Previews without noise.

What was denoised is looked at and never measured: it comes back as displayed values, not as a picture.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from trasloco.render.picture import Floats, Picture


@cache
def available() -> bool:
    """Whether the denoiser is installed; without it previews are simply noisy."""
    try:
        import pyoidn  # noqa: F401
    except (ImportError, OSError):
        return False
    return True


def denoised(picture: Picture) -> Floats:
    """Radiance (H, W, 3) in nit of a preview, guided by base colour and normal of the first hit; as it is
    where there is no denoiser.
    """
    radiance = np.maximum(picture.radiance, 0)
    if not available():
        return radiance
    import pyoidn

    guides = (
        [np.ascontiguousarray(picture.guides[..., k : k + 3]) for k in (0, 3)]
        if picture.guides.shape[:2] == radiance.shape[:2]
        else [None, None]
    )
    made = pyoidn.denoise(np.ascontiguousarray(radiance), *guides, hdr=True, quality="fast")
    return np.asarray(made, np.float32)
