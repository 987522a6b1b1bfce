"""Texels on their way through steps."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from trasloco.fit.atlas import Atlas
from trasloco.fit.formulas import codes as do
from trasloco.fit.model import Crossing, PlannedImage
from trasloco.scene.model import Input, Scene
from trasloco.scene.texels_held import Pixels


@dataclass(frozen=True)
class Order:
    """What is to be made: a crossing for a planned image, out of the reference."""

    crossing: Crossing
    planned: PlannedImage
    reference: Scene
    atlases: Mapping[str, Atlas]

    def partner(self, name: str) -> Input:
        """Another input of the same material, by its name; KeyError where it has none."""
        return self.reference.materials[self.crossing.material].inputs[name]


@dataclass(frozen=True)
class Plane:
    """Texels, (H, W) or (H, W, 3), and how they are encoded."""

    texels: Pixels
    encoding: do.Encoding
    vectors: bool = False

    def linear(self) -> Pixels:
        return do.decode(self.texels, self.encoding)

    @property
    def grey(self) -> Pixels:
        """One channel, (H, W)."""
        return self.texels if self.texels.ndim == 2 else self.texels[..., 0]


def recoded(plane: Plane, order: Order) -> Plane:
    """Colour in the encoding of the file that is planned; anything else as it is."""
    planned = order.planned
    if plane.texels.ndim != 3 or plane.vectors or plane.encoding == planned.encoding:
        return plane
    return Plane(do.multiply(plane.texels, (1.0,), plane.encoding, planned.encoding), planned.encoding)


def fitted(plane: Plane, order: Order) -> Plane:
    """At the size of the file that is planned."""
    planned = order.planned
    if plane.texels.shape[:2] == (planned.height, planned.width):
        return plane
    plane = recoded(plane, order)
    most = np.inf if planned.file_depth == do.FLOATING else 1.0
    return replace(
        plane,
        texels=do.resize(plane.texels, planned.width, planned.height, plane.encoding, plane.vectors, most),
    )
