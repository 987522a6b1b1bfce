"""What comes along: parts left out one by one, by kind or by name pattern; geometry only; variants; a part
swapped for another.
"""

from __future__ import annotations

import fnmatch
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from trasloco.scene.kinds import kind_of_part
from trasloco.scene.model import Input, Primitive, Scene


def include(scene: Scene, target: str, value: Any) -> Scene:
    """``False`` leaves out a part (with its light or camera), or a group; its place in the tree stays as long
    as it has children.
    """
    if value is not False or target not in scene.nodes:
        return scene
    return _without(scene, {target})


def _without(scene: Scene, gone: set[str]) -> Scene:
    parents = {n.parent for n in scene.nodes.values()} | {j for s in scene.skins.values() for j in s.joints}
    nodes = {
        id: replace(n, mesh=None, light=None, camera=None, cloud=None) if id in gone else n
        for id, n in scene.nodes.items()
        if id not in gone or id in parents
    }
    return replace(scene, nodes=nodes)


def leave_out(scene: Scene, target: str, value: Any) -> Scene:
    """Rules, kept for the next revision: a list of ``{"kind": name}``, ``{"group": id}`` with all that is
    beneath it, and ``{"name": pattern}`` (``*`` and ``?`` as in file names, case ignored).

    What a decision about the part itself includes stays, whatever the rules say: that is the order mends are
    carried out in.
    """
    gone = {
        node.id
        for node in scene.nodes.values()
        if (node.mesh or node.light or node.camera or node.cloud)
        and any(rule_fits(scene, node.id, rule) for rule in value)
    }
    return _without(scene, gone)


def rule_fits(scene: Scene, part: str, rule: dict[str, Any]) -> bool:
    """Whether a rule names the part."""
    if "group" in rule:
        above: str | None = part
        while above is not None:
            if above == rule["group"]:
                return True
            above = scene.nodes[above].parent
        return False
    if "kind" in rule:
        return kind_of_part(scene, part) == str(rule["kind"])
    return fnmatch.fnmatchcase(scene.nodes[part].name.casefold(), str(rule.get("name", "")).casefold())


def only(scene: Scene, target: str, value: Any) -> Scene:
    """Only the listed parts come along."""
    wanted = set(value)
    return (
        _without(
            scene,
            {
                n.id
                for n in scene.nodes.values()
                if (n.mesh or n.light or n.camera or n.cloud) and n.id not in wanted
            },
        )
        if wanted
        else scene
    )


def geometry_only(scene: Scene, target: str, value: Any) -> Scene:
    """Shapes and slots without images, lights, cameras, environment and motion."""
    if value is not True:
        return scene
    gone = {n.id for n in scene.nodes.values() if n.light or n.camera}
    materials = {
        id: replace(
            m,
            inputs={
                k: replace(i, texture=None) if i.texture else i
                for k, i in m.inputs.items()
                if k not in ("normal", "height", "occlusion", "clearcoat_normal")
            },
            alpha_mode="opaque",
        )
        for id, m in scene.materials.items()
    }
    return replace(
        _without(scene, gone), materials=materials, environment=None, backdrop=None, clips={}, loose_images=()
    )


def variant(scene: Scene, target: str, value: Any) -> Scene:
    """The materials of a variant; the others stay what they were."""
    meshes = {
        id: replace(m, primitives=tuple(_wearing(p, str(value), scene.variants) for p in m.primitives))
        for id, m in scene.meshes.items()
    }
    return replace(scene, meshes=meshes)


def _wearing(p: Primitive, chosen: str, names: Sequence[str]) -> Primitive:
    now = p.variants.get(chosen, p.material)
    others = {name: p.variants.get(name, p.material) for name in names}
    return replace(p, material=now, variants={name: m for name, m in others.items() if m and m != now})


def swap(scene: Scene, target: str, value: Any) -> Scene:
    """A part shows another part's mesh (and skin) in its own place; the other is left out."""
    node, other = scene.nodes.get(target), scene.nodes.get(str(value))
    if node is None or other is None or other.mesh is None or node.id == other.id:
        return scene
    return _without(
        replace(scene, nodes={**scene.nodes, target: replace(node, mesh=other.mesh, skin=other.skin)}),
        {other.id},
    )


def use_material(scene: Scene, target: str, value: Any) -> Scene:
    """A slot takes another material's look and keeps its own id and name."""
    slot, other = scene.materials.get(target), scene.materials.get(str(value))
    if slot is None or other is None:
        return scene
    base = other.inputs.get("base_color", Input((1.0, 1.0, 1.0)))
    tinted = replace(
        base,
        vertex_color=slot.inputs["base_color"].vertex_color
        if "base_color" in slot.inputs
        else base.vertex_color,
    )
    return scene.with_material(
        replace(other, id=slot.id, name=slot.name, inputs={**other.inputs, "base_color": tinted})
    )


def clip_included(scene: Scene, target: str, value: Any) -> Scene:
    """``False`` leaves a clip out."""
    return (
        replace(scene, clips={id: c for id, c in scene.clips.items() if id != target})
        if value is False
        else scene
    )
