"""A UV set that light can be written on: the second set where it is sound, else one that is made; measured
either way.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from trasloco.hands.model import NOTHING, in_order
from trasloco.hands.setting import hands
from trasloco.keeping import recalled, remembered
from trasloco.progress import Progress, silent
from trasloco.scene.charts import Charted, Piece, chart_each
from trasloco.scene.covering import covered
from trasloco.scene.digest import digest
from trasloco.scene.geometry import taken, with_uv_set
from trasloco.scene.model import Doubles, Mesh, Primitive, Scene


def padding_of(side: int) -> int:
    """Texels between charts: two levels of smaller copies stay apart; less where a small part would be
    padding more than surface.
    """
    return 4 if side >= 256 else 2 if side >= 64 else 1


_PIECE = 12_000
"""Triangles that charts are looked for in at once: on a large smooth mesh the time grows with more than its
size.
"""
_BATCH = 20_000
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
    _, label = connected_components(
        coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(count, count)), directed=False
    )
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
    triangles = {mesh: sum(len(p.indices) for p in meshes[mesh].primitives) for mesh in wanted}
    done, total = 0, max(sum(triangles.values()), 1)
    batches: list[list[str]] = []
    for mesh_id in wanted:
        if not batches or sum(triangles[one] for one in batches[-1]) + triangles[mesh_id] > _BATCH:
            batches.append([])
        batches[-1].append(mesh_id)

    pieces = [
        [(meshes[one], _next_set(meshes[one], reasons[one]), sides[one]) for one in batch]
        for batch in batches
    ]
    progress(0.0, f"Charts, {done} of {total} triangles")
    for batch, charted in zip(batches, in_order(hands(), _charted, NOTHING, pieces), strict=True):
        for mesh, made, uv_set in charted:
            meshes[mesh.id] = made
            found[mesh.id] = Charts(uv_set, True, reasons[mesh.id], *measure(made.primitives, uv_set))
        done += sum(triangles[one] for one in batch)
        progress(done / total, f"Charts, {done} of {total} triangles")
    for mesh_id in sides:
        if mesh_id not in found:
            found[mesh_id] = Charts(1, False, "", *measure(meshes[mesh_id].primitives, 1))
    return replace(scene, meshes=meshes), found


def _next_set(mesh: Mesh, reason: str) -> int:
    return 1 if reason == NO_SECOND else max(1, *(len(p.uvs) for p in mesh.primitives))


def _charted(nothing: None, given: Sequence[tuple[Mesh, int, int]]) -> list[tuple[Mesh, Mesh, int]]:
    """Meshes before and with their new set: (mesh, number of the set, side) each."""
    squares, held = [], []
    for mesh, _, side in given:
        groups = [(k, faces) for k, p in enumerate(mesh.primitives) if len(p.indices) for faces in _pieces(p)]
        cut: list[Piece] = []
        used_all = []
        for k, faces in groups:
            p = mesh.primitives[k]
            used, local = np.unique(p.indices[faces], return_inverse=True)
            cut.append(
                (
                    p.positions[used],
                    local.reshape(-1, 3).astype(np.uint32),
                    p.normals[used] if p.normals is not None else None,
                )
            )
            used_all.append(used)
        squares.append((cut, side, padding_of(side)))
        held.append((groups, used_all))
    found = []
    for (mesh, uv_set, _), (groups, used_all), made in zip(given, held, _charts_of(squares), strict=True):
        primitives = list(mesh.primitives)
        for k in {k for k, _ in groups}:
            mine = [
                (faces, used, one)
                for (where, faces), used, one in zip(groups, used_all, made, strict=True)
                if where == k
            ]
            starts = np.cumsum([0, *(len(one.origin) for _, _, one in mine)])
            origin = np.concatenate([used[one.origin] for _, used, one in mine]).astype(np.uint32)
            indices = np.concatenate(
                [one.indices + np.uint32(start) for (_, _, one), start in zip(mine, starts, strict=False)]
            )
            back = np.argsort(np.concatenate([faces for faces, _, _ in mine]), kind="stable")
            primitives[k] = with_uv_set(
                taken(mesh.primitives[k], origin, indices[back].astype(np.uint32)),
                uv_set,
                np.concatenate([one.uv for _, _, one in mine]).astype(np.float32),
            )
        found.append((mesh, replace(mesh, primitives=tuple(primitives)), uv_set))
    return found


def _charts_of(squares: Sequence[tuple[list[Piece], int, int]]) -> list[list[Charted]]:
    """Charts of each square; those that were made before are not made again, since most of a layout stays
    when one part gets more texels.
    """
    keys = [digest("charts", square) for square in squares]
    held = {key: recalled("charts", key) for key in keys}
    known = {key: charts for key, charts in held.items() if charts is not None}
    fresh = {key: square for key, square in zip(keys, squares, strict=True) if key not in known}
    made = dict(zip(fresh, chart_each(list(fresh.values())) if fresh else [], strict=True))
    for key, charts in made.items():
        remembered("charts", key, charts)
    return [made.get(key) or known[key] for key in keys]


def _pieces(p: Primitive) -> list[npt.NDArray[np.int64]]:
    """Faces in groups of bounded size, each close together: halved along the longest side of their box until
    they are small enough.
    """
    middle = p.positions[p.indices].mean(axis=1)
    waiting, done = [np.arange(len(p.indices))], []
    while waiting:
        faces = waiting.pop()
        if len(faces) <= _PIECE:
            done.append(faces)
            continue
        axis = int(np.argmax(np.ptp(middle[faces], axis=0)))
        order = faces[np.argsort(middle[faces, axis], kind="stable")]
        waiting += [order[: len(order) // 2], order[len(order) // 2 :]]
    return done
