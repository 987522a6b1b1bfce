"""Base colour written on points, where a destination has colours on points and no images."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from trasloco.fit.crossings import as_it_lands, has_step
from trasloco.fit.model import Crossing
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.geometry import blended, spread_points
from trasloco.scene.layers import values_on
from trasloco.scene.model import Floats, Primitive, Scene

_POINTS = 4096
_EXACT = 1 / 255
"""Root mean square, as stored for an eye, within which colours on points say the same."""


def written_materials(crossings: Iterable[Crossing]) -> dict[str, Crossing]:
    """Crossings of base colours that are written on points, by material."""
    return {c.material: c for c in crossings if c.landing.input and has_step(c, "points")}


def colors_on_points(primitive: Primitive, scene: Scene, crossing: Crossing) -> Floats:
    """What base colour becomes at each point of a primitive, (N, 4) linear, fully opaque."""
    given = scene.materials[primitive.material or ""].inputs["base_color"]
    count = len(primitive.positions)
    corners = np.repeat(np.arange(count)[:, None], 3, axis=1)
    weights = np.tile([1.0, 0.0, 0.0], (count, 1))
    values = as_it_lands(crossing, values_on("base_color", given, primitive, scene.images, corners, weights))
    return np.concatenate([np.clip(values, 0, 1), np.ones((count, 1))], axis=1).astype(np.float32)


def measured_on_points(crossing: Crossing, reference: Scene) -> Crossing:
    """The crossing with how far colours between points are from what is meant there, over the faces that wear
    the material.
    """
    gaps: list[npt.NDArray[np.float64]] = []
    rng = np.random.default_rng(13)
    for mesh in reference.meshes.values():
        for p in mesh.primitives:
            spread = (
                spread_points(p.positions, p.indices, _POINTS, rng)
                if p.material == crossing.material
                else None
            )
            if spread is None:
                continue
            corners, weights = p.indices[spread[0]], spread[1]
            meant = as_it_lands(
                crossing, values_on("base_color", crossing.given, p, reference.images, corners, weights)
            )
            got = blended(colors_on_points(p, reference, crossing)[:, :3], corners, weights)
            gaps.append(
                linear_to_srgb(np.clip(got, 0, 1)).astype(np.float64) - linear_to_srgb(np.clip(meant, 0, 1))
            )
    rms = float(np.sqrt(np.mean(np.concatenate(gaps) ** 2))) if gaps else 0.0
    if rms <= _EXACT and not has_step(crossing, "fit"):
        return replace(crossing, mark="exact", reason="", rms=rms)
    return replace(crossing, rms=rms)
