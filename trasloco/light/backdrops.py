"""What stands behind the subject, chosen apart from what lights it: a colour, or another picture."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.scene.images import encode, identify
from trasloco.scene.model import Backdrop, Scene

PLAIN = "image:plain backdrop"


def with_backdrop(scene: Scene, told: Mapping[str, Any]) -> Scene:
    """The scene before a plain ``color`` (linear rgb) of ``nit``, or before an ``image`` whose value of 1 stands for ``nit``, turned by ``turn_rad``; as it is where the image is not there."""
    nit = float(told.get("nit", 100.0))
    if told.get("image"):
        image = scene.images.get(str(told["image"]))
        return replace(scene, backdrop=Backdrop(image.id, nit, float(told.get("turn_rad", 0.0)))) if image is not None and image.usable else scene
    color = np.broadcast_to(np.array(told.get("color", (0.18, 0.18, 0.18)), np.float32), (1, 2, 3))
    file = identify(PLAIN, "backdrop.exr", "backdrop.exr", encode(np.ascontiguousarray(color), "exr"))
    return replace(scene, images={**scene.images, PLAIN: file}, backdrop=Backdrop(PLAIN, nit, 0.0))
