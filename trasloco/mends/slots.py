"""Slots from IDs: material slots by flat vertex colour, ID image, connected piece, part, group or layer;
faces picked by hand; slots joined and merged.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.mends.beneath import nodes_beneath
from trasloco.mends.id_colors import distinct_colors, flat_face_colors
from trasloco.mends.own_meshes import each_primitive, mesh_of_own, picked, with_mesh
from trasloco.scene.geometry import moved_primitive, pieces, taken
from trasloco.scene.images import pixels, unit_floats
from trasloco.scene.joining import concatenated
from trasloco.scene.model import Input, Material, Mesh, Node, Primitive, Scene

WAYS = ("vertex_color", "pieces", "part", "group", "layer")
_MOST = 512


def slots_from(scene: Scene, target: str, value: Any) -> Scene:
    """A part's faces shared out to slots. ``value``: one of :data:`WAYS`, or ``{"image": id}`` for an ID
    image on the first UV set.

    Each slot starts as a copy of the material the faces had, named after the part (or its group or layer) and
    a number; faces put by hand keep theirs.

    Raises:
        Refused: more than 512 slots would come of it, the image is not there, or the part is on no layer.
    """
    scene, mesh = mesh_of_own(scene, target)
    if mesh is None:
        return scene
    node = scene.nodes[target]
    group = (
        scene.nodes[node.parent].name if node.parent in scene.nodes and node.parent is not None else node.name
    )
    if value == "layer" and not node.layers:
        raise Refused("The part is on no layer.", node.name, "Choose another way to tell the slots.")
    base = (
        {"group": group, "layer": " ".join(node.layers)}.get(value, node.name)
        if isinstance(value, str)
        else node.name
    )
    whole = value in ("part", "group", "layer")
    materials = dict(scene.materials)
    made: dict[tuple[str, Any], str] = {}
    primitives: list[Primitive] = []
    offset = 0
    for primitive in mesh.primitives:
        held = materials.get(primitive.material or "")
        if not len(primitive.indices) or (held is not None and held.payload.get("slot") == "hand"):
            primitives.append(primitive)
            continue
        keys = _keys(scene, primitive, value, offset)
        if value == "pieces":
            offset += int(keys.max(initial=-1)) + 1
        distinct = np.unique(keys)
        if len(distinct) > _MOST:
            raise Refused(
                f"That would make {len(distinct)} slots; the limit is {_MOST}.",
                node.name,
                "Choose another way to tell the pieces apart.",
            )
        for key in distinct:
            place = (primitive.material or "", 0 if whole else int(key))
            if place not in made:
                number = len(made) + 1
                name = base if whole else f"{base} {number}"
                id = f"material:{base} slot {number}".replace(" ", "-") + (
                    "" if value in ("group", "layer") else f"@{target}"
                )
                materials.setdefault(
                    id,
                    replace(
                        held
                        or Material(
                            "",
                            name,
                            {
                                "base_color": Input((0.5, 0.5, 0.5), origin="guess"),
                                "roughness": Input((0.8,), origin="guess"),
                                "metalness": Input((0.0,), origin="guess"),
                            },
                        ),
                        id=id,
                        name=name,
                        payload={
                            **(held.payload if held else {}),
                            "slot": str(value if isinstance(value, str) else "image"),
                        },
                    ),
                )
                made[place] = id
            primitives.append(replace(picked(primitive, keys == key), material=made[place]))
    return with_mesh(replace(scene, materials=materials), replace(mesh, primitives=tuple(merged(primitives))))


def _keys(scene: Scene, primitive: Primitive, value: Any, offset: int) -> npt.NDArray[np.int64]:
    """A number for every face; equal numbers share a slot."""
    count = len(primitive.indices)
    if value == "pieces":
        return pieces(primitive.positions, primitive.indices).astype(np.int64) + offset
    if value == "vertex_color":
        colors = flat_face_colors(primitive.colors, primitive.indices)
        if colors is None:
            colors = (
                primitive.colors[primitive.indices][..., :3].mean(axis=1)
                if primitive.colors is not None
                else np.zeros((count, 3))
            )
        return _color_keys(colors)
    if isinstance(value, dict):
        image = scene.images.get(str(value.get("image")))
        if image is None:
            raise Refused(
                "There is no such image.", str(value.get("image")), "Choose one of the images of the move."
            )
        if not primitive.uvs:
            return np.zeros(count, np.int64)
        texels = unit_floats(pixels(image))[..., :3]
        uv = primitive.uvs[0][primitive.indices].mean(axis=1)
        rows = (np.floor((uv[:, 1] % 1) * texels.shape[0]).astype(int)) % texels.shape[0]
        columns = (np.floor((uv[:, 0] % 1) * texels.shape[1]).astype(int)) % texels.shape[1]
        return _color_keys(texels[rows, columns])
    return np.zeros(count, np.int64)


def _color_keys(colors: npt.NDArray[Any]) -> npt.NDArray[np.int64]:
    """Colours to whole numbers, by steps of 1/64: finer than any two IDs, coarser than what compression does
    to one.
    """
    steps = np.round(colors.astype(np.float64) * 64).astype(np.int64)
    steps = steps if steps.shape[1] == 3 else np.repeat(steps[:, :1], 3, axis=1)
    return np.asarray(steps[:, 0] * 4225 + steps[:, 1] * 65 + steps[:, 2], np.int64)


def faces_slot(scene: Scene, target: str, value: Any) -> Scene:
    """Faces picked by hand go to a slot, or are taken away.

    ``value``: a list of ``{"faces": [numbers], "slot": name or None}``; numbers count over the part's
    primitives.
    """
    scene, mesh = mesh_of_own(scene, target)
    if mesh is None:
        return scene
    materials = dict(scene.materials)
    by_name = {m.name: m.id for m in materials.values()}
    wanted: dict[int, str | None] = {}
    for group in value:
        if group["slot"] is None:
            wanted.update(dict.fromkeys(map(int, group["faces"])))
            continue
        name = str(group["slot"])
        if name not in by_name:
            id = f"material:{name}".replace(" ", "-")
            first = next((materials[p.material] for p in mesh.primitives if p.material in materials), None)
            materials[id] = (
                replace(first, id=id, name=name, payload={**first.payload, "slot": "hand"})
                if first
                else Material(
                    id, name, {"base_color": Input((0.5, 0.5, 0.5), origin="guess")}, payload={"slot": "hand"}
                )
            )
            by_name[name] = id
        wanted.update({int(face): by_name[name] for face in group["faces"]})
    primitives: list[Primitive] = []
    start = 0
    for primitive in mesh.primitives:
        count = len(primitive.indices)
        chosen: dict[str | None, list[int]] = {}
        for face, wish in wanted.items():
            if start <= face < start + count:
                chosen.setdefault(wish, []).append(face - start)
        left = np.ones(count, bool)
        for to, faces in chosen.items():
            mask = np.zeros(count, bool)
            mask[faces] = True
            left &= ~mask
            if to is not None:
                primitives.append(replace(picked(primitive, mask), material=to))
        if left.any():
            primitives.append(primitive if left.all() else picked(primitive, left))
        start += count
    return with_mesh(replace(scene, materials=materials), replace(mesh, primitives=tuple(merged(primitives))))


def merged(primitives: Sequence[Primitive]) -> list[Primitive]:
    """One primitive a material, in order of first appearance, where their attributes allow."""
    groups: dict[tuple[Any, ...], list[Primitive]] = {}
    for p in primitives:
        groups.setdefault(
            (
                p.material,
                p.normals is None,
                len(p.uvs),
                p.colors is None,
                p.joints is None,
                len(p.morphs),
                tuple(sorted(p.variants.items())),
            ),
            [],
        ).append(p)
    return (
        [group[0] if len(group) == 1 or group[0].morphs else concatenated(group) for group in groups.values()]
        if all(len(g) == 1 or not g[0].morphs for g in groups.values())
        else list(primitives)
    )


def new_id_colors(scene: Scene, target: str, value: Any) -> Scene:
    """A part's ID colours replaced by ones that stay apart under every kind of colour sight, in the order of
    the old ones.
    """
    node = scene.nodes.get(target)
    if value is not True or node is None or node.mesh is None:
        return scene
    old: dict[int, int] = {}
    for p in scene.meshes[node.mesh].primitives:
        faces = flat_face_colors(p.colors, p.indices)
        if faces is not None:
            for key in np.unique(_color_keys(faces)):
                old.setdefault(int(key), len(old))
    if not old:
        return scene
    fresh = distinct_colors(len(old))

    def change(primitive: Primitive) -> Primitive:
        faces = flat_face_colors(primitive.colors, primitive.indices)
        if faces is None:
            return primitive
        keys = _color_keys(faces)
        number = np.array([old[int(k)] for k in keys])
        corner = np.repeat(number, 3)
        pairs = np.stack([primitive.indices.reshape(-1).astype(np.int64), corner], axis=1)
        _, first, inverse = np.unique(pairs, axis=0, return_index=True, return_inverse=True)
        made = taken(
            primitive, primitive.indices.reshape(-1)[first], inverse.reshape(-1, 3).astype(np.uint32)
        )
        colors = np.concatenate([fresh[corner[first]], np.ones((len(first), 1))], axis=1).astype(np.float32)
        return replace(made, colors=colors)

    return each_primitive(scene, target, change)


def merge_into(scene: Scene, target: str, value: Any) -> Scene:
    """Every face of one slot goes to another slot."""
    if target not in scene.materials or value not in scene.materials or target == value:
        return scene
    meshes = {
        id: replace(
            m,
            primitives=tuple(
                merged([replace(p, material=str(value)) if p.material == target else p for p in m.primitives])
            ),
        )
        if any(p.material == target for p in m.primitives)
        else m
        for id, m in scene.meshes.items()
    }
    return replace(scene, meshes=meshes)


def join(scene: Scene, target: str, value: Any) -> Scene:
    """Hundreds of pieces joined: still parts without a skin become one mesh per material, or one per group.

    ``target``: ``scene``, or a group, whose parts alone are joined and stay beneath it. ``value``:
    ``material``, ``group`` or ``apart``.
    """
    if value not in ("material", "group"):
        return scene
    world = scene.world_matrices()
    among = None if target == "scene" else nodes_beneath(scene, target)
    holder = None if among is None else target
    back = np.eye(4) if holder is None else np.linalg.inv(world[holder])
    mark = "" if holder is None else f"@{holder}"
    moving = {c.node for clip in scene.clips.values() for c in clip.channels}
    held: dict[str, list[Primitive]] = {}
    named: dict[str, str] = {}
    nodes = dict(scene.nodes)
    for part in scene.parts():
        if among is not None and part.id not in among:
            continue
        above, still = part.id, True
        while above is not None and still:
            still = above not in moving
            above = scene.nodes[above].parent  # type: ignore[assignment]
        if (
            not still
            or part.skin is not None
            or any(p.morphs for p in scene.meshes[part.mesh or ""].primitives)
        ):
            continue
        for p in scene.meshes[part.mesh or ""].primitives:
            if not len(p.indices):
                continue
            group = scene.nodes[part.parent].id if part.parent is not None else ""
            key = f"{p.material}" if value == "material" else group
            named.setdefault(
                key,
                (scene.materials[p.material or ""].name if p.material in scene.materials else "no material")
                if value == "material"
                else (scene.nodes[group].name if group else scene.name),
            )
            held.setdefault(key, []).append(moved_primitive(p, back @ world[part.id]))
        nodes[part.id] = replace(part, mesh=None)
    meshes: dict[str, Mesh] = dict(scene.meshes)
    for key, primitives in held.items():
        by_material: dict[str | None, list[Primitive]] = {}
        for p in primitives:
            by_material.setdefault(p.material, []).append(p)
        mesh = Mesh(
            f"mesh:joined-{key}{mark}",
            named[key],
            tuple(concatenated(group) for group in by_material.values()),
        )
        meshes[mesh.id] = mesh
        id = f"part:joined-{key}{mark}"
        nodes[id] = Node(id, named[key], holder, np.eye(4), mesh=mesh.id)
    return replace(scene, nodes=_without_empty(nodes), meshes=meshes)


def _without_empty(nodes: dict[str, Node]) -> dict[str, Node]:
    """Leave out places that hold nothing and have nothing below them."""
    kept = dict(nodes)
    while True:
        parents = {n.parent for n in kept.values()}
        empty = [
            id
            for id, n in kept.items()
            if n.mesh is None and n.light is None and n.camera is None and id not in parents
        ]
        if not empty:
            return kept
        for id in empty:
            del kept[id]
