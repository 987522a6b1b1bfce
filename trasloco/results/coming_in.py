"""What comes in and how files are called: paths made safe, a delivery of several models taken apart,
ceilings.
"""

from trasloco.fit.naming import slug
from trasloco.formats.bundle import safe_path, unlike
from trasloco.formats.receive import split_delivery
from trasloco.limits import LIMITS
from trasloco.own_process import bounded
from trasloco.scene.wording import legible

MOST_UPLOAD_BYTES = LIMITS.upload_bytes
"""A delivery is no larger."""

__all__ = [
    "MOST_UPLOAD_BYTES",
    "bounded",
    "legible",
    "safe_path",
    "slug",
    "split_delivery",
    "unlike",
]
