"""Roots that only hold a file together."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.scene.model import Scene


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
