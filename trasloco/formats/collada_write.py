"""The neutral scene to COLLADA 1.4.1 or 1.5: nodes as matrices, triangles, the common profile's effects,
lamps, cameras, skins and shapes as controllers, and motion as matrices and weights at keys.

Where axis or unit differ from Y up and metres, everything stands below one node that turns and scales it, so
that no place and no key is rounded.
"""

from __future__ import annotations

import io
import zipfile
from collections import defaultdict
from collections.abc import Iterator, Mapping
from xml.etree.ElementTree import Element, indent, tostring

import numpy as np
import numpy.typing as npt

from trasloco.at_rest import Bytes
from trasloco.formats.collada_write_effects import write_effects
from trasloco.formats.collada_write_lamps import write_camera, write_light
from trasloco.formats.collada_write_rigs import (
    roots_of,
    shapes_of,
    skinned,
    weights_id,
    write_controllers,
    write_shapes,
)
from trasloco.formats.collada_write_xml import add, numbers, source
from trasloco.scene.joining import filled
from trasloco.scene.model import Channel, Clip, Mesh, Node, Primitive, Scene
from trasloco.scene.motion import posed_matrices, value_at
from trasloco.scene.straight import straight_times
from trasloco.scene.transforms import to_convention

NAMESPACES = {
    "1.4.1": "http://www.collada.org/2005/11/COLLADASchema",
    "1.5.0": "http://www.collada.org/2008/03/COLLADASchema",
}


def write_collada(scene: Scene, up_axis: str, unit_m: float, version: str) -> bytes:
    """A COLLADA document. Image paths are relative to it; ``version`` is a key of :data:`NAMESPACES`.

    Names of parts and materials have to be ones that XML takes for names.
    """
    document = _Writer(scene, up_axis, unit_m, version).document()
    return bytes(tostring(document, "utf-8", xml_declaration=True))


def write_zae(document: str, files: Mapping[str, Bytes]) -> bytes:
    """A COLLADA archive (1.5, chapter 3): a zip with a manifest that names the document."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(
            "manifest.xml", f'<?xml version="1.0" encoding="utf-8"?>\n<dae_root>./{document}</dae_root>\n'
        )
        for path, data in files.items():
            archive.writestr(path, data)
    return out.getvalue()


class _Writer:
    def __init__(self, scene: Scene, up_axis: str, unit_m: float, version: str) -> None:
        self.scene, self.up_axis, self.unit_m, self.version = scene, up_axis, unit_m, version
        self.ids = {
            id: f"{kind}{number}"
            for kind, held in (
                ("part", scene.nodes),
                ("mesh", scene.meshes),
                ("material", scene.materials),
                ("image", scene.images),
                ("lamp", scene.lights),
                ("camera", scene.cameras),
                ("clip", scene.clips),
            )
            for number, id in enumerate(held, 1)
        }
        self.children: dict[str | None, list[Node]] = defaultdict(list)
        for node in scene.nodes.values():
            self.children[node.parent].append(node)
        self.joints = {joint for skin in scene.skins.values() for joint in skin.joints}
        self.controllers: dict[str, str] = {}

    def document(self) -> Element:
        root = Element("COLLADA", {"xmlns": NAMESPACES[self.version], "version": self.version})
        asset = add(root, "asset")
        add(asset, "created", text="2000-01-01T00:00:00Z")
        add(asset, "modified", text="2000-01-01T00:00:00Z")
        add(asset, "unit", {"meter": f"{self.unit_m:.9g}", "name": "unit"})
        add(asset, "up_axis", text=f"{self.up_axis}_UP")
        clips = [clip for clip in self.scene.clips.values() if any(map(self.moves, clip.channels))]
        if clips:
            self.motion(root, clips)
        lights, cameras = self.scene.lights.values(), self.scene.cameras.values()
        library = add(root, "library_lights") if lights else root
        for light in lights:
            write_light(library, self.ids[light.id], light)
        library = add(root, "library_cameras") if cameras else root
        for camera in cameras:
            write_camera(library, self.ids[camera.id], camera)
        write_effects(root, self.scene, self.ids, self.version)
        if self.scene.meshes:
            library = add(root, "library_geometries")
            for mesh in self.scene.meshes.values():
                self.geometry(library, mesh)
                write_shapes(library, mesh, self.ids[mesh.id])
        self.controllers = write_controllers(root, self.scene, self.ids)
        stage = add(add(root, "library_visual_scenes"), "visual_scene", {"id": "stage"})
        self.nodes(stage)
        add(add(root, "scene"), "instance_visual_scene", {"url": "#stage"})
        indent(root, " ")
        return root

    def nodes(self, stage: Element) -> None:
        turned = to_convention(self.up_axis, self.unit_m)
        holder = stage
        if not np.allclose(turned, np.eye(4)):
            holder = add(stage, "node", {"id": "holder", "name": "holder"})
            add(holder, "matrix", {"sid": "transform"}, numbers(turned))
        for node in self.children[None]:
            self.node(holder, node)

    def node(self, above: Element, node: Node) -> None:
        joint = {"sid": self.ids[node.id], "type": "JOINT"} if node.id in self.joints else {}
        made = add(above, "node", {"id": self.ids[node.id], "name": node.name, **joint})
        add(made, "matrix", {"sid": "transform"}, numbers(node.matrix))
        if node.camera in self.scene.cameras:
            add(made, "instance_camera", {"url": f"#{self.ids[node.camera or '']}"})
        mesh = self.scene.meshes.get(node.mesh or "")
        if mesh is not None:
            self.worn(self.instance(made, node, mesh), mesh)
        if node.light in self.scene.lights:
            add(made, "instance_light", {"url": f"#{self.ids[node.light or '']}"})
        for child in self.children[node.id]:
            self.node(made, child)

    def instance(self, made: Element, node: Node, mesh: Mesh) -> Element:
        """A part's geometry, or the controller that moves its points."""
        if node.id not in self.controllers:
            return add(made, "instance_geometry", {"url": f"#{self.ids[mesh.id]}"})
        held = add(made, "instance_controller", {"url": f"#{self.controllers[node.id]}"})
        for joint in roots_of(self.scene, node) if skinned(self.scene, node) else ():
            add(held, "skeleton", text=f"#{self.ids[joint]}")
        return held

    def moves(self, channel: Channel) -> bool:
        """Whether a channel moves something that is written."""
        node = self.scene.nodes.get(channel.node)
        if node is None or channel.path != "weights":
            return node is not None
        mesh = self.scene.meshes.get(node.mesh or "")
        return mesh is not None and bool(shapes_of(mesh))

    def worn(self, instance: Element, mesh: Mesh) -> None:
        """Which material each slot wears, and which UV set is which."""
        held = {p.material: len(p.uvs) for p in mesh.primitives if p.material in self.scene.materials}
        if not held:
            return
        common = add(add(instance, "bind_material"), "technique_common")
        for material, sets in held.items():
            id = self.ids[material or ""]
            bound = add(common, "instance_material", {"symbol": id, "target": f"#{id}"})
            for number in range(sets):
                add(
                    bound,
                    "bind_vertex_input",
                    {"semantic": f"UV{number}", "input_semantic": "TEXCOORD", "input_set": str(number)},
                )

    def geometry(self, library: Element, mesh: Mesh) -> None:
        id = self.ids[mesh.id]
        shape = add(add(library, "geometry", {"id": id}), "mesh")
        slots = filled(mesh)
        points = np.concatenate([p.positions for p in slots] or [np.zeros((0, 3), np.float32)])
        source(shape, f"{id}-places", points, ("X", "Y", "Z"))
        for number, p in enumerate(slots):
            for name, values, columns in _tables(p):
                source(shape, f"{id}-{number}-{name}", values, columns)
        vertices = add(shape, "vertices", {"id": f"{id}-points"})
        add(vertices, "input", {"semantic": "POSITION", "source": f"#{id}-places"})
        first = 0
        for number, p in enumerate(slots):
            self.triangles(shape, id, number, p, first)
            first += len(p.positions)

    def triangles(self, shape: Element, id: str, slot: int, p: Primitive, first: int) -> None:
        """Faces of a slot: points are numbered over the whole mesh, everything else within the slot."""
        given = {"count": str(len(p.indices))}
        if p.material in self.scene.materials:
            given["material"] = self.ids[p.material or ""]
        faces = add(shape, "triangles", given)
        add(faces, "input", {"semantic": "VERTEX", "source": f"#{id}-points", "offset": "0"})
        more = [name for name, _, _ in _tables(p)]
        for name in more:
            kind, _, number = name.partition("-")
            semantic = {"normals": "NORMAL", "uv": "TEXCOORD", "colors": "COLOR"}[kind]
            told = {"semantic": semantic, "source": f"#{id}-{slot}-{name}", "offset": "1"}
            add(faces, "input", {**told, "set": number} if kind == "uv" else told)
        corners = p.indices.reshape(-1).astype(np.int64)
        rows = np.stack([corners + first, corners], axis=1) if more else corners + first
        add(faces, "p", text=" ".join(map(str, rows.reshape(-1).tolist())))

    def motion(self, root: Element, clips: list[Clip]) -> None:
        library = add(root, "library_animations")
        named: list[tuple[Clip, list[str]]] = []
        for clip in clips:
            told = [c for c in clip.channels if self.moves(c)]
            moved = dict.fromkeys(c.node for c in told if c.path != "weights")
            shaped = [c for c in told if c.path == "weights"]
            made_of = [self.animation(library, clip, node) for node in moved]
            named.append((clip, made_of + [id for c in shaped for id in self.shaping(library, clip, c)]))
        held = add(root, "library_animation_clips")
        for clip, ids in named:
            times = np.concatenate([c.times_s for c in clip.channels])
            span = {"start": f"{times.min():.9g}", "end": f"{times.max():.9g}"}
            made = add(held, "animation_clip", {"id": self.ids[clip.id], "name": clip.name, **span})
            for id in ids:
                add(made, "instance_animation", {"url": f"#{id}"})

    def animation(self, library: Element, clip: Clip, node: str) -> str:
        """A node's matrix at every key of a clip."""
        id = f"{self.ids[clip.id]}-{self.ids[node]}"
        channels = [c for c in clip.channels if c.node == node and c.path != "weights"]
        times = np.unique(np.concatenate([straight_times(c) for c in channels]))
        matrices = np.array([posed_matrices(self.scene, clip, t)[0][node] for t in times.tolist()])
        _keys(library, id, times, matrices.reshape(len(times), 16), f"{self.ids[node]}/transform")
        return id

    def shaping(self, library: Element, clip: Clip, channel: Channel) -> Iterator[str]:
        """How much of each shape a part shows, at every key of a clip."""
        times = straight_times(channel)
        values = np.array([value_at(channel, t) for t in times.tolist()]).reshape(len(times), -1)
        part = self.ids[channel.node]
        for number in range(values.shape[1]):
            id = f"{self.ids[clip.id]}-{part}-shape{number}"
            _keys(library, id, times, values[:, number : number + 1], f"{weights_id(part)}({number})")
            yield id


def _keys(
    library: Element,
    id: str,
    times: npt.NDArray[np.floating],
    values: npt.NDArray[np.floating],
    target: str,
) -> None:
    """An animation: values (K, C) of a target at some moments, joined by straight lines."""
    made = add(library, "animation", {"id": id})
    whole = values.shape[1] == 16
    source(made, f"{id}-times", times[:, None], ("TIME",))
    source(
        made,
        f"{id}-values",
        values,
        ("TRANSFORM" if whole else "MORPH_WEIGHT",),
        "float4x4" if whole else "float",
    )
    source(made, f"{id}-between", ["LINEAR"] * len(times), ("INTERPOLATION",))
    sampler = add(made, "sampler", {"id": f"{id}-sampler"})
    for semantic, name in (("INPUT", "times"), ("OUTPUT", "values"), ("INTERPOLATION", "between")):
        add(sampler, "input", {"semantic": semantic, "source": f"#{id}-{name}"})
    add(made, "channel", {"source": f"#{id}-sampler", "target": target})


def _tables(p: Primitive) -> Iterator[tuple[str, npt.NDArray[np.float32], tuple[str, ...]]]:
    if p.normals is not None:
        yield "normals", p.normals, ("X", "Y", "Z")
    for number, uv in enumerate(p.uvs):
        up = np.stack([uv[:, 0], 1 - uv[:, 1].astype(np.float64)], axis=1)
        yield f"uv-{number}", up, ("S", "T")  # type: ignore[misc]
    if p.colors is not None:
        yield "colors", p.colors, ("R", "G", "B", "A")
