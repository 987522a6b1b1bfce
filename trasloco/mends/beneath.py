"""What lies beneath a group."""

from __future__ import annotations

from trasloco.scene.model import Scene


def nodes_beneath(scene: Scene, target: str) -> frozenset[str]:
    """A node and everything beneath it at any depth, by id."""
    children: dict[str | None, list[str]] = {}
    for node in scene.nodes.values():
        children.setdefault(node.parent, []).append(node.id)
    found: set[str] = set()
    waiting = [target]
    while waiting:
        id = waiting.pop()
        if id not in found:
            found.add(id)
            waiting += children.get(id, [])
    return frozenset(found)


def parts_beneath(scene: Scene, target: str) -> list[str]:
    """A part, or all parts of a group at any depth, in the scene's order."""
    beneath = nodes_beneath(scene, target)
    return [id for id, node in scene.nodes.items() if id in beneath and node.mesh is not None]
