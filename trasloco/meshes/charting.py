"""UV charts of meshes, batch by batch: large ones in pieces, and what was made of the same faces before not made
again.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from trasloco.hands.model import NOTHING, in_order
from trasloco.hands.setting import hands
from trasloco.keeping import recalled, remembered
from trasloco.progress import Progress, silent
from trasloco.scene.charts import Charted, Piece, chart_each
from trasloco.scene.charts import Square as CutSquare
from trasloco.scene.digest import digest
from trasloco.scene.model import Primitive

Square = tuple[Sequence[Primitive], int, int]
"""Slots with faces that share a square, its side in texels, texels between charts."""
_PIECE = 12_000
"""Triangles that charts are looked for in at once: on a large smooth mesh the time grows with more than its
size.
"""
_BATCH = 20_000


def charted(squares: Sequence[Square], progress: Progress = silent) -> list[list[Charted]]:
    """Charts of every slot of every square.

    Raises:
        Refused: the chart maker failed on these meshes.
    """
    counts = [sum(len(p.indices) for p in slots) for slots, _, _ in squares]
    batches: list[list[int]] = []
    for number, count in enumerate(counts):
        if not batches or sum(counts[one] for one in batches[-1]) + count > _BATCH:
            batches.append([])
        batches[-1].append(number)
    pieces = [[squares[one] for one in batch] for batch in batches]
    found: list[list[Charted]] = []
    done, total = 0, max(sum(counts), 1)
    progress(0.0, f"Charts, {done} of {total} triangles")
    for batch, made in zip(batches, in_order(hands(), _charted, NOTHING, pieces), strict=True):
        found += made
        done += sum(counts[one] for one in batch)
        progress(done / total, f"Charts, {done} of {total} triangles")
    return found


def _charted(nothing: None, squares: Sequence[Square]) -> list[list[Charted]]:
    cut: list[CutSquare] = []
    parted = []
    for slots, side, padding in squares:
        groups = [(k, faces) for k, p in enumerate(slots) for faces in _pieces(p)]
        used, pieces = [], []
        for k, faces in groups:
            piece, points = _cut(slots[k], faces)
            pieces.append(piece)
            used.append(points)
        cut.append((pieces, side, padding))
        parted.append((groups, used))
    found = []
    for (slots, _, _), (groups, used), made in zip(squares, parted, _charts_of(cut), strict=True):
        trios = [(k, faces, points, one) for (k, faces), points, one in zip(groups, used, made, strict=True)]
        found.append([_whole([trio[1:] for trio in trios if trio[0] == k]) for k in range(len(slots))])
    return found


def _cut(p: Primitive, faces: npt.NDArray[np.int64]) -> tuple[Piece, npt.NDArray[np.uint32]]:
    """Some faces of a slot by themselves, and the points that they use."""
    used, local = np.unique(p.indices[faces], return_inverse=True)
    normals = p.normals[used] if p.normals is not None else None
    return (p.positions[used], local.reshape(-1, 3).astype(np.uint32), normals), used


def _whole(
    pieces: Sequence[tuple[npt.NDArray[np.int64], npt.NDArray[np.uint32], Charted]],
) -> Charted:
    """A slot out of its pieces (faces, points used, charts), its faces in their order."""
    starts = np.cumsum([0, *(len(one.origin) for _, _, one in pieces)])
    origin = np.concatenate([used[one.origin] for _, used, one in pieces]).astype(np.uint32)
    indices = np.concatenate(
        [one.indices + np.uint32(start) for (_, _, one), start in zip(pieces, starts, strict=False)]
    )
    back = np.argsort(np.concatenate([faces for faces, _, _ in pieces]), kind="stable")
    uv = np.concatenate([one.uv for _, _, one in pieces]).astype(np.float32)
    return Charted(origin, indices[back].astype(np.uint32), uv)


def _charts_of(squares: Sequence[CutSquare]) -> list[list[Charted]]:
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
