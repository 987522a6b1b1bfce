"""Parts to PLY: one file each, points with normals and colours as bytes."""

from __future__ import annotations

from io import BytesIO

import numpy as np
from plyfile import PlyData, PlyElement

from trasloco.scene.color import linear_to_srgb
from trasloco.scene.geometry import transform_normals, transform_points
from trasloco.scene.joining import joined_slots
from trasloco.scene.model import Mesh
from trasloco.scene.transforms import to_convention

_COLORS = ("red", "green", "blue", "alpha")


def write_ply(mesh: Mesh, up_axis: str, unit_m: float, encoding: str, text: bool) -> bytes:
    """A mesh whose points stand in the world, all its slots as one.

    Args:
        encoding: how colours are stored, ``srgb`` or ``linear``; 8 bits a channel.
    """
    (p,) = joined_slots(mesh.primitives, "none")
    matrix = to_convention(up_axis, unit_m)
    columns = dict(zip("xyz", transform_points(matrix, p.positions).astype("<f4").T))
    if p.normals is not None:
        columns |= dict(zip(("nx", "ny", "nz"), transform_normals(matrix, p.normals).astype("<f4").T))
    if p.colors is not None:
        rgb = linear_to_srgb(p.colors[:, :3]) if encoding == "srgb" else p.colors[:, :3]
        values = np.concatenate([rgb, p.colors[:, 3:]], axis=1)
        columns |= dict(zip(_COLORS, np.round(np.clip(values, 0, 1) * 255).astype("u1").T))
    table = np.empty(len(p.positions), [(name, column.dtype) for name, column in columns.items()])
    for name, column in columns.items():
        table[name] = column
    faces = np.empty(len(p.indices), [("vertex_indices", "<i4", (3,))])
    faces["vertex_indices"] = p.indices
    held = [PlyElement.describe(table, "vertex"), PlyElement.describe(faces, "face")]
    out = BytesIO()
    PlyData(held, text=text, byte_order="<").write(out)
    return out.getvalue()
