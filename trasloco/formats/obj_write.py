"""The neutral scene to Wavefront OBJ with MTL: points, UVs and normals of every part, its slots as groups.

The format states neither axis nor unit, so points are written in those that the reader assumes.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from trasloco.scene.geometry import transform_normals, transform_points
from trasloco.scene.model import Doubles, Node, Primitive, Scene
from trasloco.scene.transforms import to_convention
from trasloco.scene.welding import same_points


def write_obj(scene: Scene, parts: Iterable[Node], up_axis: str, unit_m: float, library: str) -> bytes:
    """An OBJ file of parts whose points stand in the world.

    Args:
        library: path of the MTL file, as it is named in the OBJ.
    """
    writer = _Writer(scene, to_convention(up_axis, unit_m))
    lines = [f"mtllib {library}"]
    for part in parts:
        lines += writer.part(part)
    return ("\n".join(lines) + "\n").encode("ascii")


@dataclass
class _Writer:
    """Lines of parts, one after another; numbers of points, UVs and normals run on."""

    scene: Scene
    matrix: Doubles
    points: int = 0
    uvs: int = 0
    normals: int = 0
    taken: set[str] = field(default_factory=set)

    def part(self, part: Node) -> Iterator[str]:
        yield f"o {part.name}"
        for primitive in self.scene.meshes[part.mesh or ""].primitives:
            if len(primitive.indices):
                yield from self.slot(part, primitive)

    def slot(self, part: Node, p: Primitive) -> Iterator[str]:
        columns = [("v", "points", transform_points(self.matrix, p.positions))]
        if p.uvs:
            columns.append(
                ("vt", "uvs", np.stack([p.uvs[0][:, 0], 1 - p.uvs[0][:, 1].astype(np.float64)], 1))
            )
        if p.normals is not None:
            columns.append(("vn", "normals", transform_normals(self.matrix, p.normals)))
        at = []
        for key, kind, values in columns:
            rows, numbers = _once(values.astype(np.float32))
            first = getattr(self, kind)
            setattr(self, kind, first + len(rows))
            at.append(numbers + 1 + first)
            line = key + " %.9g" * rows.shape[1]
            yield from map(line.__mod__, map(tuple, rows.tolist()))
        worn = self.scene.materials.get(p.material or "")
        if worn is not None:
            name = worn.name
            yield f"g {part.name}_{name}"
            yield f"usemtl {name}"
        corner = "%d//%d" if p.normals is not None and not p.uvs else "/".join(["%d"] * len(at))
        face = f"f {corner} {corner} {corner}"
        numbers = np.stack([one[p.indices] for one in at], axis=2).reshape(len(p.indices), -1)
        yield from map(face.__mod__, map(tuple, numbers.tolist()))


def _once(values: npt.NDArray[np.float32]) -> tuple[npt.NDArray[np.float32], npt.NDArray[np.int64]]:
    """Rows (N, 2 or 3) each once, in order of first appearance, and the number of each row among them."""
    width = values.shape[1]
    wide = np.zeros((len(values), 3), np.float32)
    wide[:, :width] = values
    labels, count = same_points(wide)
    first = np.zeros(count, np.int64)
    first[labels[::-1]] = np.arange(len(labels))[::-1]
    return values[first], labels.astype(np.int64)
