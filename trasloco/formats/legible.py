"""Names that can be read: nothing in them turns, hides or breaks a line, and none goes on for pages."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from trasloco.scene.findings import Finding
from trasloco.scene.model import Scene
from trasloco.scene.wording import legible


def legible_names(scene: Scene) -> tuple[Scene, list[Finding]]:
    """The scene with every name legible, and what was changed in it. What is named alike is told apart by its
    id, which is made from the legible name.
    """
    changed: list[str] = []

    def clean(name: str) -> str:
        made = legible(name) or "unnamed"
        if made != name:
            changed.append(made)
        return made

    def all_of(group: Mapping[str, Any]) -> Mapping[str, Any]:
        odd = {id: clean(one.name) for id, one in group.items() if legible(one.name) != one.name}
        return (
            {id: replace(one, name=odd[id]) if id in odd else one for id, one in group.items()}
            if odd
            else group
        )

    made = replace(
        scene,
        nodes=all_of(scene.nodes),
        meshes=all_of(scene.meshes),
        materials=all_of(scene.materials),
        images=all_of(scene.images),
        lights=all_of(scene.lights),
        cameras=all_of(scene.cameras),
        clips=all_of(scene.clips),
        skins=all_of(scene.skins),
        clouds=all_of(scene.clouds),
    )
    nodes = {
        id: replace(node, layers=tuple(clean(one) for one in node.layers))
        if any(legible(one) != one for one in node.layers)
        else node
        for id, node in made.nodes.items()
    }
    meshes = {
        id: replace(mesh, morph_names=tuple(clean(one) for one in mesh.morph_names))
        if any(legible(one) != one for one in mesh.morph_names)
        else mesh
        for id, mesh in made.meshes.items()
    }
    made = replace(made, name=legible(scene.name) or "unnamed", nodes=nodes, meshes=meshes)
    if not changed:
        return made, []
    count = f"{len(changed)} name{'s' if len(changed) > 1 else ''}"
    shown = ", ".join(changed[:3]) + (f" and {len(changed) - 3} more" if len(changed) > 3 else "")
    told = Finding(
        "names_cleaned:scene",
        "names_cleaned",
        "Names that could not be read as they are",
        f"{count} · {shown}",
        "They held line breaks, marks that turn or hide text, broken characters, or went on for pages. "
        "Without these they cannot deceive; everything else about them stays.",
        weight=12,
        evidence={"count": len(changed)},
    )
    return made, [told]


def whole_text(value: Any) -> Any:
    """JSON values with halves of surrogate pairs replaced by the sign for what cannot be read, all the way
    down. Names stay as they are: they are made legible, and told, once everything is read.
    """
    if isinstance(value, str):
        return value if value.isascii() else _HALVES.sub("\ufffd", value)
    if isinstance(value, list):
        return [whole_text(one) for one in value]
    if isinstance(value, dict):
        return {whole_text(key): one if key == "name" else whole_text(one) for key, one in value.items()}
    return value


_HALVES = re.compile("[\ud800-\udfff]")
