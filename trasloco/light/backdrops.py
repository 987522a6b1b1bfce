"""What stands behind the subject, chosen apart from what lights it: a colour, or another picture."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.scene.images import encode, identify
from trasloco.scene.lit import Backdrop
from trasloco.scene.model import Scene

PLAIN = "image:plain backdrop"
MIDDLE_GREY, USUAL_NIT = (0.18, 0.18, 0.18), 100.0


def with_backdrop(scene: Scene, told: Mapping[str, Any]) -> Scene:
    """The scene before a plain ``color`` (linear rgb) of ``nit``, or before an ``image`` whose value of 1
    stands for ``nit``, turned by ``turn_rad``; as it is where the image is not there.

    Unsaid, a picture is as bright as what surrounds the scene, and a colour is middle grey of a usual
    luminance.
    """
    usual = scene.environment.level if told.get("image") and scene.environment is not None else USUAL_NIT
    nit = float(told.get("nit", usual))
    if told.get("image"):
        image = scene.images.get(str(told["image"]))
        return (
            replace(scene, backdrop=Backdrop(image.id, nit, float(told.get("turn_rad", 0.0))))
            if image is not None and image.usable
            else scene
        )
    color = np.broadcast_to(np.array(told.get("color", MIDDLE_GREY), np.float32), (1, 2, 3))
    file = identify(PLAIN, "backdrop.exr", "backdrop.exr", encode(np.ascontiguousarray(color), "exr"))
    return replace(scene, images={**scene.images, PLAIN: file}, backdrop=Backdrop(PLAIN, nit, 0.0))
