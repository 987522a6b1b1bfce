"""Compiled walks over meshes: equal points, connected pieces, edges and who meets there.

All run in time linear in the mesh.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit

Numbers = npt.NDArray[np.int32]


@njit(nogil=True)
def _labels(keys: Any, out: Any) -> int:
    """Dense numbers of equal rows of (N, 3) int32 keys, in order of first appearance, by an open hash table."""
    count = keys.shape[0]
    size = 16
    while size < 2 * count:
        size *= 2
    table = np.full(size, -1, np.int32)
    mask = size - 1
    found = 0
    first = np.empty(count, np.int32)
    for n in range(count):
        a, b, c = keys[n, 0], keys[n, 1], keys[n, 2]
        h = (np.int64(a) * 73856093 ^ np.int64(b) * 19349663 ^ np.int64(c) * 83492791) & 0x7FFFFFFFFFFFFFFF
        at = (h ^ (h >> 17)) & mask
        while True:
            held = table[at]
            if held < 0:
                table[at] = found
                first[found] = n
                out[n] = found
                found += 1
                break
            m = first[held]
            if keys[m, 0] == a and keys[m, 1] == b and keys[m, 2] == c:
                out[n] = held
                break
            at = (at + 1) & mask
    return found


def same_points(positions: npt.NDArray[np.float32]) -> tuple[Numbers, int]:
    """(N,) the number of each point's place, bitwise equal places sharing one (0.0 and -0.0 alike), and how
    many places there are.
    """
    out = np.empty(len(positions), np.int32)
    return out, _labels.of(len(out))(
        (np.ascontiguousarray(positions, np.float32) + np.float32(0)).view(np.int32), out
    )


def near_points(positions: npt.NDArray[np.float32], cell: float) -> tuple[Numbers, int]:
    """The same for places rounded to a grid of ``cell``; at most 2^31 cells along each axis."""
    out = np.empty(len(positions), np.int32)
    low = positions.min(axis=0) if len(positions) else np.zeros(3, np.float32)
    return out, _labels.of(len(out))(
        np.round((positions - low).astype(np.float64) / max(cell, 1e-30)).astype(np.int32), out
    )


@njit(nogil=True)
def _pieces(triangles: Any, count: int, out: Any) -> int:
    """Union-find over welded triangles (M, 3); dense numbers in order of first appearance."""
    parent = np.arange(count)
    for t in range(triangles.shape[0]):
        for k in range(1, 3):
            a, b = triangles[t, 0], triangles[t, k]
            while parent[a] != a:
                parent[a] = parent[parent[a]]
                a = parent[a]
            while parent[b] != b:
                parent[b] = parent[parent[b]]
                b = parent[b]
            if a != b:
                if a < b:
                    parent[b] = a
                else:
                    parent[a] = b
    number = np.full(count, -1, np.int32)
    found = 0
    for t in range(triangles.shape[0]):
        a = triangles[t, 0]
        while parent[a] != a:
            a = parent[a]
        if number[a] < 0:
            number[a] = found
            found += 1
        out[t] = number[a]
    return found


def pieces_of(triangles: npt.NDArray[Any], count: int) -> Numbers:
    """(M,) the connected piece of each welded triangle."""
    out = np.empty(len(triangles), np.int32)
    _pieces.of(len(out))(np.ascontiguousarray(triangles), count, out)
    return out


@njit(nogil=True)
def _joined(first: Any, second: Any, out: Any) -> int:
    """Union-find over pairs; dense numbers in order of first appearance."""
    parent = np.arange(out.shape[0])
    for k in range(first.shape[0]):
        a, b = first[k], second[k]
        while parent[a] != a:
            parent[a] = parent[parent[a]]
            a = parent[a]
        while parent[b] != b:
            parent[b] = parent[parent[b]]
            b = parent[b]
        parent[max(a, b)] = min(a, b)
    found = 0
    for n in range(out.shape[0]):
        if parent[n] == n:
            out[n] = found
            found += 1
        else:  # what it is joined to comes before it
            out[n] = out[parent[n]]
    return found


def joined(first: npt.NDArray[Any], second: npt.NDArray[Any], count: int) -> Numbers:
    """(count,) the group of each of so many things, where ``first[k]`` and ``second[k]`` are of one; groups
    are numbered in order of first appearance.
    """
    out = np.empty(count, np.int32)
    _joined.of(count + len(first))(
        np.ascontiguousarray(first, np.int32), np.ascontiguousarray(second, np.int32), out
    )
    return out


@njit(nogil=True)
def _edges(triangles: Any, count: int, ends: Any, uses: Any, balance: Any, faces: Any) -> int:
    """Undirected edges of welded triangles, bucketed by their lower end; returns how many there are."""
    total = triangles.shape[0]
    start = np.zeros(count + 1, np.int64)
    for t in range(total):
        for k in range(3):
            a, b = triangles[t, k], triangles[t, (k + 1) % 3]
            if (
                triangles[t, 0] != triangles[t, 1]
                and triangles[t, 1] != triangles[t, 2]
                and triangles[t, 0] != triangles[t, 2]
            ):
                start[min(a, b) + 1] += 1
    for v in range(count):
        start[v + 1] += start[v]
    fill = start[:-1].copy()
    high = np.empty(start[count], np.int32)
    turn = np.empty(start[count], np.int8)
    owner = np.empty(start[count], np.int32)
    for t in range(total):
        if (
            triangles[t, 0] == triangles[t, 1]
            or triangles[t, 1] == triangles[t, 2]
            or triangles[t, 0] == triangles[t, 2]
        ):
            continue
        for k in range(3):
            a, b = triangles[t, k], triangles[t, (k + 1) % 3]
            low = min(a, b)
            high[fill[low]] = max(a, b)
            turn[fill[low]] = 1 if a < b else -1
            owner[fill[low]] = t
            fill[low] += 1
    found = 0
    for v in range(count):
        first = found
        for n in range(start[v], start[v + 1]):
            at = first
            while at < found and ends[at, 1] != high[n]:
                at += 1
            if at == found:
                ends[at, 0], ends[at, 1] = v, high[n]
                uses[at], balance[at] = 0, 0
                faces[at, 0], faces[at, 1] = owner[n], -1
                found += 1
            elif uses[at] == 1:
                faces[at, 1] = owner[n]
            uses[at] += 1
            balance[at] += turn[n]
    return found


def edge_table(triangles: npt.NDArray[Any], count: int) -> tuple[Numbers, Numbers, Numbers, Numbers]:
    """(E, 2) ends, (E,) uses, (E,) uses one way minus the other, (E, 2) first two faces (-1 for none) of
    welded triangles' edges. Triangles with equal corners take no part.
    """
    most = 3 * len(triangles)
    ends, uses, balance, faces = (
        np.empty((most, 2), np.int32),
        np.empty(most, np.int32),
        np.empty(most, np.int32),
        np.empty((most, 2), np.int32),
    )
    found = _edges.of(len(triangles))(np.ascontiguousarray(triangles), count, ends, uses, balance, faces)
    return ends[:found].copy(), uses[:found].copy(), balance[:found].copy(), faces[:found].copy()


@njit(nogil=True)
def _face_facts(positions: Any, triangles: Any, area: Any, longest: Any) -> None:
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ux, uy, uz = (
            positions[b, 0] - positions[a, 0],
            positions[b, 1] - positions[a, 1],
            positions[b, 2] - positions[a, 2],
        )
        vx, vy, vz = (
            positions[c, 0] - positions[a, 0],
            positions[c, 1] - positions[a, 1],
            positions[c, 2] - positions[a, 2],
        )
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        area[t] = 0.5 * np.sqrt(x * x + y * y + z * z)
        wx, wy, wz = ux - vx, uy - vy, uz - vz
        longest[t] = np.sqrt(
            max(ux * ux + uy * uy + uz * uz, max(vx * vx + vy * vy + vz * vz, wx * wx + wy * wy + wz * wz))
        )


def face_facts(
    positions: npt.NDArray[np.float32], triangles: npt.NDArray[Any]
) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """(M,) area and longest side of each triangle."""
    area, longest = np.empty(len(triangles)), np.empty(len(triangles))
    _face_facts.of(len(triangles))(
        np.ascontiguousarray(positions, np.float64), np.ascontiguousarray(triangles), area, longest
    )
    return area, longest


@njit(nogil=True)
def _against(positions: Any, triangles: Any, normals: Any, out: Any) -> None:
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ux, uy, uz = (
            positions[b, 0] - positions[a, 0],
            positions[b, 1] - positions[a, 1],
            positions[b, 2] - positions[a, 2],
        )
        vx, vy, vz = (
            positions[c, 0] - positions[a, 0],
            positions[c, 1] - positions[a, 1],
            positions[c, 2] - positions[a, 2],
        )
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        behind = True
        for k in range(3):
            n = triangles[t, k]
            if x * normals[n, 0] + y * normals[n, 1] + z * normals[n, 2] >= 0:
                behind = False
        out[t] = behind


def normals_against(
    positions: npt.NDArray[np.float32], triangles: npt.NDArray[Any], normals: npt.NDArray[np.float32]
) -> npt.NDArray[np.bool_]:
    """(M,) whether all three corner normals look to the other side of the face."""
    out = np.empty(len(triangles), np.bool_)
    _against.of(len(out))(positions, np.ascontiguousarray(triangles), normals, out)
    return out
