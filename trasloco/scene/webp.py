"""WebP images."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import numpy.typing as npt


def webp_file(texels: npt.NDArray[Any]) -> bytes:
    """A file of (H, W, C) uint8 texels without loss, colours under what is see-through kept; one channel is
    written three times.
    """
    from PIL import Image as PilImage

    out = io.BytesIO()
    told = np.repeat(texels, 3, axis=2) if texels.shape[2] == 1 else texels
    PilImage.fromarray(np.ascontiguousarray(told)).save(out, "WEBP", lossless=True, exact=True, method=2)
    return out.getvalue()
