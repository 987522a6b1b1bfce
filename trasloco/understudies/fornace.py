"""Fornace's importer: OpenUSD with MaterialX networks; both sides always, vertex colours ignored unless
wired.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from trasloco.formats.bundle import Bundle
from trasloco.formats.usd_read import read_usd
from trasloco.mends.settling import settle
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet


def import_package(files: Mapping[str, bytes], sheet: Sheet) -> Scene:
    """What Fornace makes of the files."""
    layer = next(path for path in files if path.endswith((".usdc", ".usda", ".usd")))
    scene = settle(read_usd(layer, Bundle(dict(files)))[0], sheet, [])
    known = {
        *sheet.materials.inputs,
        *(name for one in sheet.materials.sets for name in one.channels.values()),
    }
    materials = {
        id: replace(
            m,
            double_sided=m.double_sided or sheet.materials.two_sided == "always",
            inputs={k: replace(i, vertex_color=False) for k, i in m.inputs.items() if k in known},
        )
        for id, m in scene.materials.items()
    }
    return without_holders(replace(scene, materials=materials))


def without_holders(scene: Scene) -> Scene:
    """The scene without roots that only hold a layer together: its default prim and the axis and unit, which
    cancel out.
    """
    nodes = dict(scene.nodes)
    matrix = np.eye(4)
    while True:
        roots = [n for n in nodes.values() if n.parent is None]
        if len(roots) != 1 or roots[0].mesh or roots[0].light or roots[0].camera:
            break
        below = [n for n in nodes.values() if n.parent == roots[0].id]
        if not below or any(c.node == roots[0].id for clip in scene.clips.values() for c in clip.channels):
            break
        matrix = matrix @ roots[0].matrix
        del nodes[roots[0].id]
        nodes.update({n.id: replace(n, parent=None) for n in below})
        if np.abs(matrix - np.eye(4)).max() < 1e-9:
            return replace(scene, nodes={id: nodes[id] for id in scene.nodes if id in nodes})
    return scene
