"""A material as a few points that stand for all of it: what its inputs are together, and how much of its area
is like that.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.cluster.vq import kmeans2

from trasloco.inputs.table import DRAWN, INPUTS, VECTORS
from trasloco.scene.geometry import spread_points
from trasloco.scene.layers import values_on
from trasloco.scene.model import Material, Scene

Doubles = npt.NDArray[np.float64]
MOST = 4
"""Points that stand for a material whose inputs differ from place to place."""
_SPREAD, _SEED = 2048, 11


@dataclass(frozen=True)
class Points:
    """``values``: by input, linear (K, C). ``shares`` (K,) of the area, which sum to 1."""

    values: Mapping[str, Doubles]
    shares: Doubles

    def __len__(self) -> int:
        return len(self.shares)

    def of(self, name: str) -> Doubles:
        """An input at each point, its default where the material does not say it."""
        return held_or_default(self.values, name, len(self))

    @property
    def middle(self) -> Points:
        """The material as one point: the mean of all."""
        return Points({name: (self.shares @ held)[None] for name, held in self.values.items()}, np.ones(1))


def held_or_default(values: Mapping[str, Doubles], name: str, count: int) -> Doubles:
    """An input at ``count`` points, (count, C): as it is held, or the default that it has where nothing is
    said.
    """
    held = values.get(name)
    return np.tile(np.array(INPUTS[name].default, np.float64), (count, 1)) if held is None else held


def points_of(scene: Scene, material: Material) -> Points:
    """Points of a material, on the faces that wear it; what no face wears has its numbers alone.

    Relief is not in it: a bent surface has the same closures. What cannot be read has its number.
    """
    names = [name for name in material.inputs if name in DRAWN and name not in VECTORS and name != "height"]
    spread = _spread(scene, material, names)
    if spread is None or all(np.ptp(v, axis=0).max() < 1e-4 for v in spread.values()):
        numbers = {name: np.array([material.inputs[name].factor], np.float64) for name in names}
        return Points(numbers if spread is None else {n: v[:1] for n, v in spread.items()}, np.ones(1))
    # Apart as they look, not by light: the root is near enough to how light is seen.
    joint = np.concatenate([np.sqrt(np.clip(v, 0, None)) for v in spread.values()], axis=1)
    _, label = kmeans2(joint, MOST, minit="++", seed=_SEED)
    held = [k for k in range(MOST) if (label == k).any()]
    shares = np.array([(label == k).mean() for k in held])
    return Points(
        {name: np.stack([v[label == k].mean(axis=0) for k in held]) for name, v in spread.items()},
        shares / shares.sum(),
    )


def _spread(scene: Scene, material: Material, names: list[str]) -> dict[str, Doubles] | None:
    worn = [p for m in scene.meshes.values() for p in m.primitives if p.material == material.id]
    worn = [p for p in worn if len(p.indices)]
    placed = any(material.inputs[n].texture or material.inputs[n].layers for n in names)
    if not worn or not (placed or any(p.colors is not None for p in worn)):
        return None
    images = {
        t.image: scene.images[t.image]
        for n in names
        for t in material.inputs[n].textures
        if t.image in scene.images and scene.images[t.image].usable
    }
    found: dict[str, list[Doubles]] = {name: [] for name in names}
    for p in worn:
        points = _SPREAD // len(worn) + 1
        spread = spread_points(p.positions, p.indices, points, np.random.default_rng(_SEED))
        if spread is None:
            continue
        corners, weights = p.indices[spread[0]], spread[1]
        for name in names:
            given = material.inputs[name]
            if any(t.image not in images for t in given.textures):
                value = np.tile(np.array(given.factor, np.float64), (points, 1))
            else:
                value = values_on(name, given, p, images, corners, weights).astype(np.float64)
            found[name].append(value[:, : INPUTS[name].channels])
    if not any(found.values()):
        return None
    return {name: np.concatenate(v) for name, v in found.items()}
