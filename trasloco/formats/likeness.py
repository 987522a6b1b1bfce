"""How alike two files are by what is in them, whatever they are called."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PIL import Image as Pillow

from trasloco.errors import Refused
from trasloco.scene.images import Image, pixels, unit_floats
from trasloco.scene.model import Scene
from trasloco.scene.resolve import color_of

_SIDE, _FLAT = 32, 0.008
"""Blocks a side that pictures are compared by, and the spread below which one shows nothing to compare."""


def images_alike(first: Image, second: Image) -> float:
    """How alike two pictures are, 0 to 1: the normalised correlation of their means over a grid of blocks,
    channel by channel. Other levels, sizes and compression leave it near 1; 0 where one shows nothing or has
    another shape.
    """
    if not (first.usable and second.usable):
        return 0.0
    shapes = [one.width / max(one.height, 1) for one in (first, second)]
    if abs(np.log(shapes[0] / shapes[1])) > 0.02:
        return 0.0
    try:
        a, b = _blocks(first), _blocks(second)
    except Refused:
        return 0.0
    found = []
    for x, y in zip(np.moveaxis(a, -1, 0), np.moveaxis(b, -1, 0), strict=True):
        x, y = x - x.mean(), y - y.mean()
        if min(float(x.std()), float(y.std())) >= _FLAT:
            found.append(float((x * y).mean() / (x.std() * y.std())))
    return max(min(found), 0.0) if found else 0.0


def _blocks(image: Image) -> npt.NDArray[np.float64]:
    """Means (32, 32, 3) of the blocks of a picture."""
    texels = color_of(pixels(image))
    values = unit_floats(np.ascontiguousarray(texels)).astype(np.float32)
    values = np.repeat(values[..., :1], 3, axis=2) if values.shape[2] < 3 else values[..., :3]
    made = [
        np.asarray(
            Pillow.fromarray(np.ascontiguousarray(values[..., c])).resize(
                (_SIDE, _SIDE), Pillow.Resampling.BILINEAR
            )
        )
        for c in range(3)
    ]
    return np.stack(made, axis=-1).astype(np.float64)


def models_alike(first: Scene, second: Scene) -> tuple[float, int, int]:
    """How alike two models are by their structure, 0 to 1, with how many parts of the first are called the
    same in the second, and how many it has: parts and materials by name, and triangles a part.
    """
    parts = [{node.name.casefold(): node for node in scene.parts()} for scene in (first, second)]
    worn = [{m.name.casefold() for m in scene.materials.values()} for scene in (first, second)]
    same = parts[0].keys() & parts[1].keys()
    every = parts[0].keys() | parts[1].keys()
    if not every:
        return 0.0, 0, 0
    named = len(same) / len(every)
    dressed = len(worn[0] & worn[1]) / max(len(worn[0] | worn[1]), 1)
    sizes = [
        sorted(
            sum(len(p.indices) for p in scene.meshes[node.mesh or ""].primitives) for node in scene.parts()
        )
        for scene in (first, second)
    ]
    shaped = 0.0
    if len(sizes[0]) == len(sizes[1]):
        near = [min(a, b) / max(a, b, 1) for a, b in zip(*sizes, strict=True)]
        shaped = float(np.mean(near))
    return (
        max(0.7 * named + 0.3 * dressed, 0.9 * shaped * (len(every) > 2 or dressed)),
        len(same),
        len(parts[0]),
    )
