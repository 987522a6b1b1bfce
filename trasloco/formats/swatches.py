"""A material library on its own as a scene: a small hung sheet for each material, in rows."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from trasloco.scene.model import Declared, Mesh, Node, Primitive, Scene

_ROWS, _GAP = 25, 0.4


def laid_out(library: Scene) -> Scene:
    """The library's materials, each on a 0.3 m sheet that curls at the top, side by side."""
    across = max(math.ceil(math.sqrt(len(library.materials) * 1.6)), 1)
    sheet = _sheet()
    nodes: dict[str, Node] = {}
    meshes: dict[str, Mesh] = {}
    for k, material in enumerate(library.materials.values()):
        place = np.eye(4)
        place[:3, 3] = ((k % across - (across - 1) / 2) * _GAP, (k // across) * -_GAP, 0.0)
        part, mesh = f"part:{material.name}", f"mesh:{material.id}"
        while part in nodes:
            part += "-again"
        meshes[mesh] = Mesh(mesh, material.name, (replace(sheet, material=material.id),))
        nodes[part] = Node(part, material.name, None, place, mesh=mesh)
    return replace(
        library,
        nodes=nodes,
        meshes=meshes,
        unit_m=Declared(1.0, "file"),
        up_axis=Declared("Y", "file"),
        declares=library.declares | {"unit", "up_axis"},
    )


def _sheet() -> Primitive:
    """A sheet 0.3 m wide hung over a rod of 3 cm: front below, curl above."""
    s = np.linspace(0, 1, _ROWS)
    length, radius = 0.3, 0.03
    bend = np.clip((s - 0.7) / 0.3, 0, 1) * math.pi * 0.9
    y = np.where(s < 0.7, (s - 0.7) * length, radius * np.sin(bend))
    z = np.where(s < 0.7, radius, radius * np.cos(bend))
    left, right = (np.stack([np.full(_ROWS, x), y, z], axis=1) for x in (-0.15, 0.15))
    positions = np.concatenate([left, right]).astype(np.float32)
    uv = np.concatenate([np.stack([np.full(_ROWS, u), 1 - s], axis=1) for u in (0.0, 1.0)]).astype(np.float32)
    k = np.arange(_ROWS - 1, dtype=np.uint32)
    indices = np.concatenate(
        [np.stack([k, k + _ROWS, k + _ROWS + 1], axis=1), np.stack([k, k + _ROWS + 1, k + 1], axis=1)]
    ).astype(np.uint32)
    normal = np.stack(
        [np.zeros(_ROWS), np.where(s < 0.7, 0, np.sin(bend)), np.where(s < 0.7, 1, np.cos(bend))], axis=1
    )
    return Primitive(positions, indices, np.concatenate([normal, normal]).astype(np.float32), None, (uv,))
