"""Controllers of COLLADA documents: shapes as geometry of their own and how much of each, joints that pull at
points.
"""

from __future__ import annotations

from collections.abc import Mapping
from xml.etree.ElementTree import Element

import numpy as np
import numpy.typing as npt

from trasloco.formats.collada_write_xml import add, numbers, source
from trasloco.scene.joining import filled
from trasloco.scene.model import Mesh, Node, Primitive, Scene


def shapes_of(mesh: Mesh) -> int:
    """How many shapes every slot of a mesh has."""
    return min((len(p.morphs) for p in filled(mesh)), default=0)


def skinned(scene: Scene, node: Node) -> bool:
    """Whether joints pull at a part."""
    mesh = scene.meshes.get(node.mesh or "")
    return (
        mesh is not None
        and node.skin in scene.skins
        and all(p.joints is not None and p.weights is not None for p in filled(mesh))
    )


def weights_id(part: str) -> str:
    """The source that says how much of each shape a part shows; motion names it."""
    return f"{part}-shapes-weights"


def write_shapes(library: Element, mesh: Mesh, id: str) -> None:
    """A geometry of points alone for each shape of a mesh, where its points are in that shape."""
    for number in range(shapes_of(mesh)):
        moved = [_moved(p, number) for p in filled(mesh)]
        name = mesh.morph_names[number] if number < len(mesh.morph_names) else f"shape {number + 1}"
        own = f"{id}-shape{number}"
        shape = add(add(library, "geometry", {"id": own, "name": name}), "mesh")
        source(shape, f"{own}-places", np.concatenate(moved), ("X", "Y", "Z"))
        vertices = add(shape, "vertices", {"id": f"{own}-points"})
        add(vertices, "input", {"semantic": "POSITION", "source": f"#{own}-places"})


def _moved(p: Primitive, number: int) -> npt.NDArray[np.float64]:
    """Points in a shape, exact: a sum of two single numbers is one double."""
    by = p.morphs[number].positions
    places = p.positions.astype(np.float64)
    return places if by is None else places + by.astype(np.float64)


def write_controllers(root: Element, scene: Scene, ids: Mapping[str, str]) -> dict[str, str]:
    """Controllers of all parts that have shapes or joints: ids of those to instance, by part."""
    wearing = [
        (node, mesh)
        for node in scene.nodes.values()
        if (mesh := scene.meshes.get(node.mesh or "")) is not None
        and (skinned(scene, node) or shapes_of(mesh))
    ]
    library = add(root, "library_controllers") if wearing else root
    found: dict[str, str] = {}
    for node, mesh in wearing:
        part, worn = ids[node.id], ids[mesh.id]
        if shapes_of(mesh):
            worn = _morph(library, part, worn, shapes_of(mesh), node.shape_weights)
        if skinned(scene, node):
            worn = _skin(library, scene, node, mesh, worn, ids)
        found[node.id] = worn
    return found


def _morph(library: Element, part: str, mesh: str, count: int, on: tuple[float, ...]) -> str:
    """NORMALIZED: a point is base * (1 - sum of weights) + sum of weight * shape (COLLADA 1.4.1, morph)."""
    id = f"{part}-shapes"
    morph = add(
        add(library, "controller", {"id": id}), "morph", {"source": f"#{mesh}", "method": "NORMALIZED"}
    )
    source(morph, f"{id}-targets", [f"{mesh}-shape{k}" for k in range(count)], ("MORPH_TARGET",), "IDREF")
    weights = np.zeros((count, 1), np.float32)
    weights[: len(on), 0] = on[:count]
    source(morph, weights_id(part), weights, ("MORPH_WEIGHT",))
    targets = add(morph, "targets")
    add(targets, "input", {"semantic": "MORPH_TARGET", "source": f"#{id}-targets"})
    add(targets, "input", {"semantic": "MORPH_WEIGHT", "source": f"#{weights_id(part)}"})
    return id


def _skin(library: Element, scene: Scene, node: Node, mesh: Mesh, worn: str, ids: Mapping[str, str]) -> str:
    held = scene.skins[node.skin or ""]
    id = f"{ids[node.id]}-joints"
    skin = add(add(library, "controller", {"id": id}), "skin", {"source": f"#{worn}"})
    add(skin, "bind_shape_matrix", text=numbers(np.eye(4)))
    source(skin, f"{id}-names", [ids[joint] for joint in held.joints], ("JOINT",))
    binds = np.asarray(held.inverse_bind, np.float64).reshape(len(held.joints), 16)
    source(skin, f"{id}-binds", binds, ("TRANSFORM",), "float4x4")
    pulls = np.concatenate([p.weights for p in filled(mesh) if p.weights is not None])
    joints = np.concatenate([p.joints for p in filled(mesh) if p.joints is not None])
    pulled = pulls > 0
    pulled[~pulled.any(axis=1), 0] = True  # a point without joints hangs on the first
    source(skin, f"{id}-pulls", pulls[pulled][:, None].astype(np.float32), ("WEIGHT",))
    told = add(skin, "joints")
    add(told, "input", {"semantic": "JOINT", "source": f"#{id}-names"})
    add(told, "input", {"semantic": "INV_BIND_MATRIX", "source": f"#{id}-binds"})
    each = add(skin, "vertex_weights", {"count": str(len(pulls))})
    add(each, "input", {"semantic": "JOINT", "source": f"#{id}-names", "offset": "0"})
    add(each, "input", {"semantic": "WEIGHT", "source": f"#{id}-pulls", "offset": "1"})
    add(each, "vcount", text=" ".join(map(str, pulled.sum(axis=1).tolist())))
    pairs = np.stack([joints[pulled].astype(np.int64), np.arange(int(pulled.sum()))], axis=1)
    add(each, "v", text=" ".join(map(str, pairs.reshape(-1).tolist())))
    return id


def roots_of(scene: Scene, node: Node) -> list[str]:
    """Joints of a part's skin that hang on no other joint of it."""
    held = scene.skins[node.skin or ""].joints
    return [joint for joint in held if scene.nodes[joint].parent not in held]
