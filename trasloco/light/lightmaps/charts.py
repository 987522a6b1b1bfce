"""A UV set that light can be written on: the second set where it is sound, else one that is made; measured
either way.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from trasloco.meshes.charting import charted
from trasloco.progress import Progress, silent
from trasloco.scene.charts import Charted
from trasloco.scene.covering import covered
from trasloco.scene.geometry import taken, with_uv_set
from trasloco.scene.joining import filled
from trasloco.scene.model import Doubles, Mesh, Primitive, Scene
from trasloco.scene.welding import joined


def padding_of(side: int) -> int:
    """Texels between charts: two levels of smaller copies stay apart; less where a small part would be
    padding more than surface.
    """
    return 4 if side >= 256 else 2 if side >= 64 else 1


_RASTER = 256
NO_SECOND = "there is no second UV set"
MOST_OVERLAP, MOST_STRETCH, LEAST_SHARE = 0.002, 4.0, 0.15


@dataclass(frozen=True)
class Charts:
    """A mesh's UV set for light.

    Attributes:
        uv_set: its number. made: whether it was made here. reason: why a second set that came along was not
            kept.
        overlap: share of covered texels that more than one place of the surface claims. share: of the square
            that is covered; the rest is waste.
        stretch: longest against shortest direction of a texel on the surface, at the 95th percentile by area.
            charts: how many.
    """

    uv_set: int
    made: bool
    reason: str
    overlap: float
    share: float
    stretch: float
    charts: int


def charts_of(uv: npt.NDArray[np.float32], indices: npt.NDArray[np.uint32]) -> npt.NDArray[np.int32]:
    """Number of the chart of each triangle (M,): triangles that share a place in the UV set."""
    if not len(indices):
        return np.zeros(0, np.int32)
    used, local = np.unique(indices, return_inverse=True)
    uv, indices = uv[used], local.reshape(-1, 3).astype(np.uint32)
    _, same = np.unique(np.round(uv.astype(np.float64) * 2**20).astype(np.int64), axis=0, return_inverse=True)
    corners = same.reshape(-1)[indices]
    pairs = np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]]])
    count = int(corners.max()) + 1
    label = joined(pairs[:, 0], pairs[:, 1], count)
    _, number = np.unique(label[corners[:, 0]], return_inverse=True)
    return number.astype(np.int32)


def slopes(
    positions: Doubles, uv: Doubles, indices: npt.NDArray[np.uint32]
) -> tuple[Doubles, Doubles, Doubles]:
    """Metres on the surface a unit of u and of v, and the stretch, for each triangle: the lengths of the
    columns of the map from UV to space and the ratio of its singular values.
    """
    a, b = (
        positions[indices[:, 1]] - positions[indices[:, 0]],
        positions[indices[:, 2]] - positions[indices[:, 0]],
    )
    p, q = uv[indices[:, 1]] - uv[indices[:, 0]], uv[indices[:, 2]] - uv[indices[:, 0]]
    area = p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0]
    safe = np.where(np.abs(area) < 1e-14, np.inf, area)[:, None]
    along_u, along_v = (a * q[:, 1:] - b * p[:, 1:]) / safe, (b * p[:, :1] - a * q[:, :1]) / safe
    e, g, f = (along_u**2).sum(axis=1), (along_v**2).sum(axis=1), (along_u * along_v).sum(axis=1)
    root = np.sqrt(np.maximum((e - g) ** 2 + 4 * f**2, 0))
    most, least = np.sqrt((e + g + root) / 2), np.sqrt(np.maximum((e + g - root) / 2, 0))
    return np.sqrt(e), np.sqrt(g), most / np.maximum(least, 1e-12)


def measure(primitives: Sequence[Primitive], uv_set: int) -> tuple[float, float, float, int]:
    """Overlap, share of the square that is covered, stretch and number of charts of a UV set over all
    primitives together.
    """
    worn = [p for p in primitives if len(p.indices)]
    count = covered([p.uvs[uv_set][p.indices] for p in worn], _RASTER)
    stretches, areas, charts = [], [], 0
    for p in worn:
        positions = p.positions.astype(np.float64)
        _, _, stretch = slopes(positions, p.uvs[uv_set].astype(np.float64), p.indices)
        stretches.append(stretch)
        areas.append(
            np.linalg.norm(
                np.cross(
                    positions[p.indices[:, 1]] - positions[p.indices[:, 0]],
                    positions[p.indices[:, 2]] - positions[p.indices[:, 0]],
                ),
                axis=1,
            )
        )
        charts += int(charts_of(p.uvs[uv_set], p.indices).max(initial=-1)) + 1
    stretch, area = np.concatenate(stretches), np.concatenate(areas)
    order = np.argsort(stretch)
    reached = np.cumsum(area[order]) >= 0.95 * area.sum()
    worst = float(stretch[order][int(np.argmax(reached))]) if area.sum() > 0 else 1.0
    return (
        float((count > 1).sum() / max((count > 0).sum(), 1)),
        float((count > 0).mean()),
        min(worst, 1e6),
        charts,
    )


def why_unsound(primitives: Sequence[Primitive]) -> str:
    """Why light cannot be written on the second UV set, empty when it can."""
    worn = [p for p in primitives if len(p.indices)]
    if any(len(p.uvs) < 2 for p in worn):
        return NO_SECOND
    if any(
        not np.isfinite(p.uvs[1]).all()
        or p.uvs[1][p.indices].min() < -1e-4
        or p.uvs[1][p.indices].max() > 1 + 1e-4
        for p in worn
    ):
        return "the second UV set leaves its image"
    overlap, share, stretch, _ = measure(worn, 1)
    if overlap > MOST_OVERLAP:
        return f"places of the second UV set overlap ({100 * overlap:.1f} %)"
    if share < LEAST_SHARE:
        return f"the second UV set uses only {100 * share:.0f} % of its image"
    if stretch > MOST_STRETCH:
        return f"the second UV set is stretched {stretch:.1f} times"
    return ""


def with_light_uvs(
    scene: Scene, sides: Mapping[str, int], progress: Progress = silent
) -> tuple[Scene, dict[str, Charts]]:
    """The scene with a UV set for light on meshes. ``sides``: texels that the largest part of each takes, for
    which the padding between charts is kept.

    Raises:
        Refused: the chart maker failed on these meshes.
    """
    found: dict[str, Charts] = {}
    reasons = {mesh: why_unsound(scene.meshes[mesh].primitives) for mesh in sides}
    wanted = [mesh for mesh in sides if reasons[mesh]]
    meshes = dict(scene.meshes)
    squares = [(filled(meshes[one]), sides[one], padding_of(sides[one])) for one in wanted]
    for mesh_id, charts in zip(wanted, charted(squares, progress), strict=True):
        mesh, uv_set = meshes[mesh_id], _next_set(meshes[mesh_id], reasons[mesh_id])
        laid = iter(charts)
        made = tuple(_laid(p, next(laid), uv_set) if len(p.indices) else p for p in mesh.primitives)
        meshes[mesh_id] = replace(mesh, primitives=made)
        found[mesh_id] = Charts(uv_set, True, reasons[mesh_id], *measure(made, uv_set))
    for mesh_id in sides:
        if mesh_id not in found:
            found[mesh_id] = Charts(1, False, "", *measure(meshes[mesh_id].primitives, 1))
    return replace(scene, meshes=meshes), found


def _next_set(mesh: Mesh, reason: str) -> int:
    return 1 if reason == NO_SECOND else max(1, *(len(p.uvs) for p in mesh.primitives))


def _laid(p: Primitive, charts: Charted, uv_set: int) -> Primitive:
    """A slot cut at the borders of its charts, with these as a UV set."""
    return with_uv_set(taken(p, charts.origin, charts.indices), uv_set, charts.uv)
