"""What kind of thing a part is, by what it holds and what it is called."""

from __future__ import annotations

import re

from trasloco.scene.model import Scene

KINDS = {
    "part": "Parts",
    "helper": "Helpers",
    "collision": "Collision shapes",
    "detail": "Lower levels of detail",
    "reference": "Reference objects",
    "light": "Lights",
    "camera": "Cameras",
    "cloud": "Points and lines",
}

_WORDS = re.compile(r"(?<=[a-z0-9])(?=[A-Z])|[_\-.: /]+")
_COLLISION = {"collision", "collider", "collide", "hitbox", "physics", "blocker"}
_HELPER = {
    "helper",
    "guide",
    "dummy",
    "placeholder",
    "proxy",
    "temp",
    "tmp",
    "test",
    "locator",
    "null",
    "gizmo",
    "construction",
    "backup",
}
_REFERENCE = {"reference", "ref", "mannequin", "rehearsal", "viewpoint", "ruler", "greybox"}
_DETAIL = re.compile(r"(?:^|[_\-. ])lod[_\-. ]?([1-9]\d*)(?:$|[_\-. ])", re.IGNORECASE)


def words_of(name: str) -> list[str]:
    """A name's words in small letters."""
    return [w.lower() for w in _WORDS.split(name) if w]


def kind_of_part(scene: Scene, part: str) -> str:
    """One of :data:`KINDS`."""
    node = scene.nodes[part]
    if node.mesh is None:
        return "light" if node.light else "camera" if node.camera else "cloud" if node.cloud else "helper"
    words = set(words_of(node.name))
    if words & _COLLISION:
        return "collision"
    if _DETAIL.search(node.name):
        return "detail"
    if words & _REFERENCE or {"scale", "figure"} <= words:
        return "reference"
    if words & _HELPER or {"stand", "in"} <= words:
        return "helper"
    return "part"
