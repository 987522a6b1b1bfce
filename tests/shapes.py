"""Generated scenes whose shapes are on at rest."""

from __future__ import annotations

import random
from dataclasses import replace

from trasloco.scene.model import Scene


def shapes_on(given: Scene, rng: random.Random) -> Scene:
    """Shapes of some parts on at rest."""
    nodes = {
        id: replace(node, shape_weights=(round(rng.uniform(0.1, 1.0), 3), 0.0))
        if node.mesh and given.meshes[node.mesh].morph_names and rng.random() < 0.4
        else node
        for id, node in given.nodes.items()
    }
    return replace(given, nodes=nodes)
