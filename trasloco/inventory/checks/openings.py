"""Faces that are missing: small openings in closed things, and boxes that lack a side or two."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.inventory.context import Context
from trasloco.inventory.marking import face_offsets, marked_faces, names_of
from trasloco.meshes.topology import Edges
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.geometry import pieces
from trasloco.scene.model import Decision
from trasloco.scene.welding import joined

_HOLE_AREA = 0.035
_CORNERS, _SIDES = 8, 12


def holes(context: Context, mesh: str, edges: Sequence[Edges]) -> Iterator[Finding]:
    """Openings that are small for what they open: a closed thing with faces missing.

    An opening's own area against its piece's is 1 for a flat sheet, 0.5 for half a ball, 0.2 for a box
    without a lid, 0.1 for a tube five
    times as long as wide; its border's length squared 16, 6.3, 3.2 and 1.3. Below 0.035, or below 0.4, nobody
    meant it to be open.
    """
    scene = context.scene
    starts = face_offsets(scene, mesh)
    rims: list[npt.NDArray[np.int64]] = []
    beside: list[int] = []
    count = 0
    for k, own in enumerate(edges):
        if not own.boundary.any():
            continue
        rim = np.flatnonzero(own.boundary)
        p = scene.meshes[mesh].primitives[k]
        label = pieces(p.positions, p.indices)
        groups = np.bincount(label, weights=own.area_m2), np.bincount(label)
        loop, opening, border = _openings(own, rim, p.positions, p.indices)
        owner = np.zeros(len(opening), np.int64)
        owner[loop] = label[own.faces[rim, 0]]
        # Openings of edges a tenth of the usual are pinholes at a pole: nobody sees into them.
        pinhole = border / np.bincount(loop) < 0.1 * float(np.median(own.length_m))
        holed = (
            ~pinhole
            & ((opening < _HOLE_AREA * groups[0][owner]) | (border**2 < 0.4 * groups[0][owner]))
            & (groups[1][owner] >= 8)
        )
        at = own.faces[rim, 0][holed[loop]]
        if len(at):
            rims.append(np.unique(at) + starts[k])
            for one in np.flatnonzero(holed):
                beside.append(int(own.faces[rim[np.argmax(loop == one)], 0] + starts[k]))
            count += int(holed.sum())
    numbers = np.concatenate(rims) if rims else np.zeros(0, np.int64)
    if len(numbers):
        parts = context.users[mesh]
        yield Finding(
            f"holes:{mesh}",
            "holes",
            "Faces are missing",
            f"{names_of(scene, parts)} · {count} opening{'s' if count > 1 else ''}",
            "One looks into it and sees backs; light leaks through. A cover closes it plainly; only the source "
            "knows what was there.",
            tuple(parts),
            40,
            marked_faces(dict.fromkeys(parts, numbers)),
            (Mend("Cover", tuple(Decision(part, "cover_holes", list(beside)) for part in parts)),),
        )


def _openings(
    edges: Edges, rim: npt.NDArray[np.int64], positions: npt.NDArray[Any], indices: npt.NDArray[Any]
) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """Which opening each border edge belongs to, and the area (half the sum of cross products round it) and
    border length of each.
    """
    count = int(edges.welded.max(initial=0)) + 1
    place = np.zeros((count, 3))
    place[edges.welded.reshape(-1)] = positions[indices.reshape(-1)]
    a, b = edges.ends[rim].T
    labels = joined(a, b, count)
    loop = np.asarray(np.unique(labels[a], return_inverse=True)[1], np.int64)
    total = int(loop.max()) + 1
    # An edge's stored ends are in order of number; its one face says which way round the border runs.
    forward = np.where(edges.balance[rim] > 0, 1.0, -1.0)[:, None]
    middle = (
        np.stack([np.bincount(loop, weights=place[a, c], minlength=total) for c in range(3)], axis=1)
        / np.bincount(loop, minlength=total)[:, None]
    )
    cross = np.cross(place[a] - middle[loop], place[b] - middle[loop]) * forward
    area = (
        np.linalg.norm([np.bincount(loop, weights=cross[:, c], minlength=total) for c in range(3)], axis=0)
        / 2
    )
    return (
        loop,
        np.asarray(area, np.float64),
        np.asarray(np.bincount(loop, weights=edges.length_m[rim], minlength=total), np.float64),
    )


def open_boxes(context: Context, mesh: str, edges: Sequence[Edges]) -> Iterator[Finding]:
    """Boxes of eight corners that lack up to two of their six sides, or half a side: crates are meant to be
    without a lid, plinths and beams are not.
    """
    scene = context.scene
    starts = face_offsets(scene, mesh)
    marked: list[npt.NDArray[np.int64]] = []
    lacking: list[int] = []
    for k, own in enumerate(edges):
        if not own.boundary.any():
            continue
        p = scene.meshes[mesh].primitives[k]
        label = pieces(p.positions, p.indices)
        count = np.bincount(label)
        for piece in np.flatnonzero((count >= _SIDES - 4) & (count < _SIDES)):
            faces = np.flatnonzero(label == piece) if len(count) > 1 else np.arange(len(label))
            if _is_box(p.positions[p.indices[faces]].reshape(-1, 3)):
                marked.append(faces + starts[k])
                lacking.append(_SIDES - len(faces))
    if not lacking:
        return
    parts, sides = context.users[mesh], sum(lacking) / 2
    told = (
        f"{sides:g} side{'s' if sides > 1 else ''} of {len(lacking)} box{'es' if len(lacking) > 1 else ''} missing"
        if sides >= 1
        else "half a side of a box missing"
    )
    consequence = "One looks into it and sees backs. A crate may be meant to be without a lid; anything else has lost a side, which only the source can put back."
    yield Finding(
        f"open_box:{mesh}",
        "open_box",
        "A box without all its sides",
        f"{names_of(scene, parts)} · {told}",
        consequence,
        tuple(parts),
        24,
        marked_faces(dict.fromkeys(parts, np.concatenate(marked))),
    )


def _is_box(corners: npt.NDArray[Any]) -> bool:
    """Whether points (N, 3) are the eight corners of a box: alike far from their middle, in four pairs across
    it, with three edges square to each other.
    """
    size = float(np.ptp(corners, axis=0).max())
    if size <= 0:
        return False
    points = np.unique(np.round(corners.astype(np.float64) / size, 5), axis=0)
    if len(points) != _CORNERS:
        return False
    away = points - points.mean(axis=0)
    if (
        float(np.ptp(np.linalg.norm(away, axis=1))) > 1e-3
        or float(np.abs(away[:, None] + away[None]).sum(axis=2).min(axis=1).max()) > 1e-3
    ):
        return False
    edges = points[1:] - points[0]
    edges = edges[np.argsort(np.linalg.norm(edges, axis=1))]
    # From a corner, three edges, three diagonals of sides and one through the middle: the three edges are
    # square to each other and end in four more corners.
    for a in range(6):
        for b in range(a + 1, 6):
            for c in range(b + 1, 7):
                square = (
                    max(abs(edges[a] @ edges[b]), abs(edges[b] @ edges[c]), abs(edges[a] @ edges[c])) < 1e-3
                )
                if square:
                    return True
    return False
