"""Tangents of a mesh from its UVs, by a compiled pass over faces and one over vertices."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit
from trasloco.scene.model import Floats, Indices


def tangents(
    positions: npt.NDArray[Any], normals: npt.NDArray[Any], uvs: npt.NDArray[Any], indices: Indices
) -> Floats:
    """Per-vertex tangents (N, 4) from UV gradients, angle-weighted and orthogonalised against the normal.

    The bitangent is ``w * cross(normal, tangent)``, as glTF 2.0 section 3.7.2.1 fixes it. V runs down in the
    neutral scene, so the bitangent follows -V. Where UVs say nothing, any direction in the surface.
    """
    p, n, uv = (np.ascontiguousarray(one, np.float64) for one in (positions, normals, uvs))
    along, across = np.zeros((len(p), 3)), np.zeros((len(p), 3))
    _gather(p, uv, np.ascontiguousarray(indices, np.int64), along, across)
    found = np.empty((len(p), 4), np.float32)
    _made_unit(n, along, across, found)
    return found


_NO_AREA, _NO_LENGTH = 1e-20, 1e-30


@njit(nogil=True, error_model="numpy")
def _gather(p: Any, uv: Any, faces: Any, along: Any, across: Any) -> None:
    """Add each face's unit directions of u and v to its corners, times the angle there."""
    t, b, edge, other = np.zeros(3), np.zeros(3), np.zeros(3), np.zeros(3)
    for f in range(len(faces)):
        first, second, third = faces[f, 0], faces[f, 1], faces[f, 2]
        du1, dv1 = uv[second, 0] - uv[first, 0], uv[second, 1] - uv[first, 1]
        du2, dv2 = uv[third, 0] - uv[first, 0], uv[third, 1] - uv[first, 1]
        area = du1 * dv2 - du2 * dv1
        if not abs(area) > _NO_AREA:
            continue
        for k in range(3):
            e1, e2 = p[second, k] - p[first, k], p[third, k] - p[first, k]
            t[k], b[k] = (e1 * dv2 - e2 * dv1) / area, (e2 * du1 - e1 * du2) / area
        t_length = max(math.sqrt(t[0] ** 2 + t[1] ** 2 + t[2] ** 2), _NO_LENGTH)
        b_length = max(math.sqrt(b[0] ** 2 + b[1] ** 2 + b[2] ** 2), _NO_LENGTH)
        for corner in range(3):
            here, to, back = faces[f, corner], faces[f, (corner + 1) % 3], faces[f, (corner + 2) % 3]
            inside = 0.0
            for k in range(3):
                edge[k], other[k] = p[to, k] - p[here, k], p[back, k] - p[here, k]
                inside += edge[k] * other[k]
            lengths = math.sqrt(edge[0] ** 2 + edge[1] ** 2 + edge[2] ** 2) * math.sqrt(
                other[0] ** 2 + other[1] ** 2 + other[2] ** 2
            )
            angle = math.acos(min(max(inside / max(lengths, _NO_LENGTH), -1.0), 1.0))
            for k in range(3):
                along[here, k] += t[k] / t_length * angle
                across[here, k] += b[k] / b_length * angle


@njit(nogil=True, error_model="numpy")
def _made_unit(normals: Any, along: Any, across: Any, out: Any) -> None:
    """Directions of u in the surface, of unit length, and on which side -v lies."""
    for i in range(len(normals)):
        nx, ny, nz = normals[i, 0], normals[i, 1], normals[i, 2]
        off = nx * along[i, 0] + ny * along[i, 1] + nz * along[i, 2]
        x, y, z = along[i, 0] - nx * off, along[i, 1] - ny * off, along[i, 2] - nz * off
        length = math.sqrt(x * x + y * y + z * z)
        if not length > 1e-12:
            if abs(nx) < 0.9:
                x, y, z = 0.0, nz, -ny  # cross(n, x)
            else:
                x, y, z = -nz, 0.0, nx  # cross(n, y)
            length = max(math.sqrt(x * x + y * y + z * z), _NO_LENGTH)
        x, y, z = x / length, y / length, z / length
        side = (
            (ny * z - nz * y) * across[i, 0]
            + (nz * x - nx * z) * across[i, 1]
            + (nx * y - ny * x) * across[i, 2]
        )
        out[i, 0], out[i, 1], out[i, 2] = x, y, z
        out[i, 3] = -1.0 if side > 0 else 1.0
