"""Mends of cameras: one that nobody sent, and where one stands."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.scene.lit import Camera
from trasloco.scene.model import Node, Scene

MADE = "camera:made-"


def holder_of(camera: str) -> str:
    """The id of the node that holds a camera that was made here."""
    return f"part:{camera}"


def made(scene: Scene, target: str, value: Any) -> Scene:
    """A camera that did not come along, where its place is not told yet; one that did sees the angle that is
    told. None takes it away again.
    """
    if value is None:
        return scene
    if target in scene.cameras:
        seen = replace(scene.cameras[target], yfov_rad=float(value["yfov_rad"]), shift=_shift(value))
        return replace(scene, cameras={**scene.cameras, target: seen})
    if not target.startswith(MADE):
        return scene
    name = str(value.get("name") or "Camera")
    camera = Camera(target, name, float(value["yfov_rad"]), value.get("aspect"), shift=_shift(value))
    node = Node(holder_of(target), camera.name, None, np.eye(4), camera=target)
    return replace(scene, cameras={**scene.cameras, target: camera}, nodes={**scene.nodes, node.id: node})


def _shift(value: Any) -> tuple[float, float]:
    right, down = value.get("shift") or (0.0, 0.0)
    return float(right), float(down)


def stands(scene: Scene, target: str, value: Any) -> Scene:
    """A camera put where it is told, whatever holds it."""
    node = next((n for n in scene.nodes.values() if n.camera == target), None)
    if value is None or node is None:
        return scene
    wanted = np.array(value["matrix"], np.float64).reshape(4, 4)
    above = scene.world_matrices()[node.parent] if node.parent is not None else np.eye(4)
    return replace(scene, nodes={**scene.nodes, node.id: replace(node, matrix=np.linalg.inv(above) @ wanted)})
