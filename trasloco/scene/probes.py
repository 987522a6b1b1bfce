"""Light at places, for parts that move through it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from trasloco.scene.geometry import transform_points
from trasloco.scene.lit import Probe
from trasloco.scene.model import Doubles, Node, Scene

NEAREST = 4


def middle_of(scene: Scene, part: Node, world: Doubles) -> Doubles:
    """Middle (3,) of a part's box, in the world."""
    points = [p.positions for p in scene.meshes[part.mesh or ""].primitives if len(p.positions)]
    if not points:
        return np.asarray(world[:3, 3])
    whole = np.concatenate(points)
    return np.asarray(
        transform_points(world, ((whole.min(axis=0) + whole.max(axis=0)) / 2)[None].astype(np.float32))[0],
        np.float64,
    )


def light_between(probes: Sequence[Probe], place: npt.NDArray[np.floating]) -> Doubles:
    """Light (9, 3) at a place: the nearest probes, each by the inverse square of its distance (Shepard 1968)."""
    away = np.linalg.norm(np.array([p.position for p in probes]) - place, axis=1)
    near = np.argsort(away, kind="stable")[:NEAREST]
    weight = 1 / np.maximum(away[near], 1e-6) ** 2
    return np.asarray(
        np.tensordot(weight / weight.sum(), np.array([probes[k].lux for k in near], np.float64), axes=1)
    )
