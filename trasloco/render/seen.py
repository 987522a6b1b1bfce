"""What the pixels of a view show, without light."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.rays.embree import RayScene
from trasloco.rays.nearest import nearest
from trasloco.render.picture import View, frame_of
from trasloco.scene.model import Doubles


@dataclass(frozen=True)
class Seen:
    """Through the middles of pixels: where they look from (3,), unit directions (H, W, 3), triangles that they
    meet (H, W), -1 for none, and how far off (H, W) in metres, infinite there.
    """

    eye: Doubles
    looks: Doubles
    hit: npt.NDArray[np.int32]
    far: npt.NDArray[np.float32]

    def depth(self, view: View) -> Doubles:
        """(H, W) metres along the view; infinite where nothing is."""
        return np.asarray(self.far * -(self.looks @ view.matrix[:3, 2]), np.float64)


def seen_by(rays: RayScene, view: View, width: int, height: int) -> Seen:
    eye, looks = frame_of(view, width, height)
    directions = looks.reshape(-1, 3).astype(np.float32)
    origins = np.broadcast_to(eye.astype(np.float32), directions.shape)
    hit, far = nearest(rays, origins, directions)
    return Seen(eye, looks, hit.reshape(height, width), far.reshape(height, width))
