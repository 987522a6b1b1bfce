"""Inputs that are drawn anew, looked at on the faces of both sides."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from trasloco.fit.crossings import as_it_lands
from trasloco.fit.formulas.codes import stored
from trasloco.fit.model import Crossing
from trasloco.inputs.table import INPUTS
from trasloco.scene.geometry import spread_points
from trasloco.scene.layers import values_on
from trasloco.scene.model import Input, Material, Primitive, Scene

_POINTS = 2048


@dataclass(frozen=True)
class Worn:
    """A slot as it is to arrive: in which slot of the arrival, from which face on, at which node there; and
    of which mesh it is.
    """

    primitive: Primitive
    slot: int
    first: int
    wearer: str
    mesh: str = ""


@dataclass(frozen=True)
class Ends:
    """Both scenes, slots as they are to arrive, whether one UV set is all there is, and whether every image
    repeats there.
    """

    reference: Scene
    arrival: Scene
    worn: list[Worn]
    one_set: bool
    repeated: bool = False

    def came(self, worn: Worn) -> Primitive | None:
        """The slot of the arrival that a slot is in, where all its faces are there."""
        there = self.arrival.nodes.get(worn.wearer)
        twin = self.arrival.meshes.get(there.mesh or "") if there is not None else None
        if twin is None or worn.slot >= len(twin.primitives):
            return None
        came = twin.primitives[worn.slot]
        return came if len(came.indices) >= worn.first + len(worn.primitive.indices) else None


def on_faces(ends: Ends, material: Material, crossing: Crossing, got: Input) -> float:
    """Root mean square difference of a crossing's input and what arrived, at points spread over the faces
    that wear the material, as stored for an eye.
    """
    gaps = []
    rng = np.random.default_rng(11)
    color = INPUTS[crossing.name].color
    meant = material.inputs.get(crossing.name, Input(INPUTS[crossing.name].default))
    for worn in ends.worn:
        primitive, came = worn.primitive, ends.came(worn)
        if primitive.material != material.id or came is None:
            continue
        spread = spread_points(primitive.positions, primitive.indices, _POINTS, rng)
        if spread is None:
            continue
        faces, weights = spread
        corners = primitive.indices[faces], came.indices[faces + worn.first]
        here = values_on(crossing.name, meant, primitive, ends.reference.images, corners[0], weights)
        there = values_on(crossing.landing.input, got, came, ends.arrival.images, corners[1], weights)
        gaps.append(stored(as_it_lands(crossing, here), color) - stored(there, color))
    return float(np.sqrt(np.mean(np.concatenate(gaps) ** 2))) if gaps else 0.0
