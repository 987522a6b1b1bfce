"""The neutral scene to glTF 2.0 binary, conforming to the specification and its Khronos extensions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.at_rest import Bytes
from trasloco.formats.glb import pack_glb
from trasloco.formats.gltf_clouds import cloud_entry
from trasloco.formats.gltf_document import Document, GlbOptions
from trasloco.formats.gltf_write_materials import material_entry
from trasloco.inputs.table import VECTORS
from trasloco.scene.geometry import smooth_normals
from trasloco.scene.model import Channel, Floats, Mesh, Node, Primitive, Scene, Tags
from trasloco.scene.tags import KEY, tags_json
from trasloco.scene.tangent_frames import tangents
from trasloco.scene.transforms import decompose

_ARRAY, _ELEMENTS = 34962, 34963


def write_glb(scene: Scene, options: GlbOptions | None = None) -> Bytes:
    """One binary glTF file.

    Raises:
        Refused: an image of a kind glTF cannot embed.
    """
    doc = Document(scene, options or GlbOptions())
    materials = [material_entry(doc, material) for material in scene.materials.values()]
    for id in doc.options.more_images:
        if id not in doc.image_of:
            doc.image_of[id] = doc.image(scene.images[id])
    material_of = {id: k for k, id in enumerate(scene.materials)}
    filled = {id: mesh for id, mesh in scene.meshes.items() if any(len(p.indices) for p in mesh.primitives)}
    meshes = [_mesh(doc, mesh, material_of) for mesh in filled.values()]
    mesh_of = {id: k for k, id in enumerate(filled)}
    shown = scene.clouds if doc.options.clouds else {}
    mesh_of |= {id: len(meshes) + k for k, id in enumerate(shown)}
    meshes += [cloud_entry(doc, cloud) for cloud in shown.values()]
    node_of = {id: k for k, id in enumerate(scene.nodes)}
    lights_used = doc.options.lights and bool(scene.lights)
    nodes = [_node(doc, node, mesh_of, node_of, lights_used) for node in scene.nodes.values()]
    document: dict[str, Any] = {
        "asset": {"version": "2.0", "generator": "Trasloco"},
        "scene": 0,
        "scenes": [{"name": scene.name}],
    }
    roots = [node_of[node.id] for node in scene.nodes.values() if node.parent is None]
    if roots:
        document["scenes"][0]["nodes"] = roots
    if doc.options.motion:
        document["skins"] = [_skin(doc, skin, node_of) for skin in scene.skins.values()]
        document["animations"] = [
            entry
            for entry in (_clip(doc, clip, node_of) for clip in scene.clips.values())
            if entry["channels"]
        ]
    document |= {
        "nodes": nodes,
        "meshes": meshes,
        "materials": materials,
        "textures": doc.textures,
        "images": doc.images,
        "samplers": doc.samplers,
        "accessors": doc.accessors,
        "bufferViews": doc.views,
    }
    if doc.options.cameras:
        document["cameras"] = [
            {
                "name": c.name,
                "type": "perspective",
                "perspective": {
                    k: v
                    for k, v in (
                        ("yfov", c.yfov_rad),
                        ("aspectRatio", c.aspect),
                        ("znear", c.znear),
                        ("zfar", c.zfar),
                    )
                    if v is not None
                },
            }
            for c in scene.cameras.values()
        ]
    if lights_used:
        doc.extensions.add("KHR_lights_punctual")
        document["extensions"] = {
            "KHR_lights_punctual": {"lights": [_light(light) for light in scene.lights.values()]}
        }
    if scene.variants and not doc.options.ids:
        doc.extensions.add("KHR_materials_variants")
        document.setdefault("extensions", {})["KHR_materials_variants"] = {
            "variants": [{"name": name} for name in scene.variants]
        }
    if doc.binary.count:
        document["buffers"] = [{"byteLength": doc.binary.count + (-doc.binary.count % 4)}]
    document["extensionsUsed"] = sorted(doc.extensions)
    if scene.payload.get("extras") and not doc.options.ids:
        document["extras"] = scene.payload["extras"]
    if "KHR_texture_basisu" in doc.extensions:
        document["extensionsRequired"] = ["KHR_texture_basisu"]
    return pack_glb({key: value for key, value in document.items() if value != []}, doc.binary.as_bytes())


def _light(light: Any) -> dict[str, Any]:
    entry: dict[str, Any] = {
        "name": light.name,
        "type": "directional" if light.kind == "sun" else light.kind,
        "color": list(light.color),
        "intensity": light.intensity,
    }
    if light.kind == "spot":
        entry["spot"] = {"innerConeAngle": light.inner_cone_rad, "outerConeAngle": light.outer_cone_rad}
    return entry


def _node(
    doc: Document, node: Node, mesh_of: dict[str, int], node_of: dict[str, int], lights: bool
) -> dict[str, Any]:
    entry: dict[str, Any] = {"name": node.name}
    children = (
        [node_of[other.id] for other in doc.scene.nodes.values() if other.parent == node.id]
        if len(doc.scene.nodes) < 2000
        else _children(doc, node_of).get(node.id, [])
    )
    if children:
        entry["children"] = children
    if not np.allclose(node.matrix, np.eye(4)):
        animated = doc.options.motion and any(
            c.node == node.id for clip in doc.scene.clips.values() for c in clip.channels
        )
        entry |= _decomposed(node) if animated else {"matrix": [float(x) for x in node.matrix.T.ravel()]}
    if node.mesh in mesh_of or node.cloud in mesh_of:
        entry["mesh"] = mesh_of[node.mesh if node.mesh in mesh_of else node.cloud]  # type: ignore[index]
    if node.camera and doc.options.cameras:
        entry["camera"] = list(doc.scene.cameras).index(node.camera)
    if node.shape_weights and doc.options.motion and node.mesh in mesh_of:
        entry["weights"] = list(node.shape_weights)
    if node.skin and doc.options.motion and "mesh" in entry:
        entry["skin"] = list(doc.scene.skins).index(node.skin)
    if node.light and lights:
        entry["extensions"] = {"KHR_lights_punctual": {"light": list(doc.scene.lights).index(node.light)}}
    if doc.options.ids:
        entry["extras"] = {"id": node.id}
    elif "extras" in node.payload:
        entry["extras"] = node.payload["extras"]
    if node.tags != Tags() and not doc.options.ids:
        held = entry.get("extras")
        entry["extras"] = {**(held if isinstance(held, dict) else {}), KEY: tags_json(node.tags)}
    return entry


def _children(doc: Document, node_of: dict[str, int]) -> dict[str, list[int]]:
    known: dict[str, list[int]] | None = getattr(doc, "children", None)
    if known is None:
        known = {}
        for node in doc.scene.nodes.values():
            if node.parent is not None:
                known.setdefault(node.parent, []).append(node_of[node.id])
        doc.children = known  # type: ignore[attr-defined]
    return known


def _decomposed(node: Node) -> dict[str, Any]:
    """Translation, rotation and scale of a matrix, which animated nodes need (glTF 2.0, 3.5.3)."""
    names = ("translation", "rotation", "scale")
    return {name: [float(x) for x in part] for name, part in zip(names, decompose(node.matrix))}


def _mesh(doc: Document, mesh: Mesh, material_of: dict[str, int]) -> dict[str, Any]:
    entry: dict[str, Any] = {
        "name": mesh.name,
        "primitives": [_primitive(doc, p, material_of) for p in mesh.primitives if len(p.indices)],
    }
    if mesh.payload.get("extras") and not doc.options.ids:
        entry["extras"] = mesh.payload["extras"]
    if mesh.morph_names and doc.options.motion:
        held = entry.get("extras")
        entry["extras"] = {**(held if isinstance(held, dict) else {}), "targetNames": list(mesh.morph_names)}
    return entry


def _tangents(primitive: Primitive, normals: Floats) -> Floats:
    """The primitive's own tangents where they are sound, unit vectors with a sign (glTF 2.0, 3.7.2.1); those
    that its UVs give elsewhere.
    """
    given = primitive.tangents
    if given is None:
        return tangents(primitive.positions, normals, primitive.uvs[0], primitive.indices)
    length = np.linalg.norm(given[:, :3], axis=1)
    sound = np.isfinite(given).all(axis=1) & (length > 1e-3) & (np.abs(given[:, 3]) > 0.5)
    if sound.all() and np.abs(length - 1).max(initial=0) < 1e-4 and (np.abs(given[:, 3]) == 1).all():
        return given
    made = (
        tangents(primitive.positions, normals, primitive.uvs[0], primitive.indices)
        if primitive.uvs
        else _across(normals)
    )
    unit = np.concatenate([given[:, :3] / np.maximum(length, 1e-12)[:, None], np.sign(given[:, 3:])], axis=1)
    return np.where(sound[:, None], unit, made).astype(np.float32)


def _across(normals: Floats) -> Floats:
    """Any unit vectors across the normals, (N, 4)."""
    least = np.eye(3)[np.abs(normals).argmin(axis=1)]
    made = np.cross(normals, least)
    made /= np.maximum(np.linalg.norm(made, axis=1, keepdims=True), 1e-12)
    return np.concatenate([made, np.ones((len(made), 1))], axis=1).astype(np.float32)


def _primitive(doc: Document, primitive: Primitive, material_of: dict[str, int]) -> dict[str, Any]:
    attributes: dict[str, int] = {"POSITION": doc.accessor(primitive.positions, _ARRAY, bounded=True)}
    normals = primitive.normals
    if normals is not None:
        length = np.linalg.norm(normals, axis=1, keepdims=True)
        unit = np.abs(length - 1).max(initial=0) < 1e-4
        normals = (
            normals
            if unit
            else np.where(
                length > 1e-6,
                normals / np.maximum(length, 1e-30),
                smooth_normals(primitive.positions, primitive.indices),
            ).astype(np.float32)
        )
        attributes["NORMAL"] = doc.accessor(normals, _ARRAY)
    material = doc.scene.materials.get(primitive.material or "")
    mapped = bool(primitive.uvs) and material is not None and bool(VECTORS & set(material.inputs))
    if doc.options.tangents and normals is not None and (mapped or primitive.tangents is not None):
        attributes["TANGENT"] = doc.accessor(_tangents(primitive, normals), _ARRAY)
    for k, uv in enumerate(primitive.uvs):
        attributes[f"TEXCOORD_{k}"] = doc.accessor(uv, _ARRAY)
    if primitive.colors is not None:
        attributes["COLOR_0"] = doc.accessor(primitive.colors, _ARRAY)
    if primitive.joints is not None and primitive.weights is not None and doc.options.motion:
        attributes["JOINTS_0"], attributes["WEIGHTS_0"] = (
            doc.accessor(primitive.joints, _ARRAY),
            doc.accessor(primitive.weights, _ARRAY),
        )
    small = len(primitive.positions) <= 65535
    entry: dict[str, Any] = {
        "attributes": attributes,
        "indices": doc.accessor(
            primitive.indices.reshape(-1).astype(np.uint16 if small else np.uint32), _ELEMENTS
        ),
    }
    if primitive.material in material_of:
        entry["material"] = material_of[primitive.material or ""]
    mappings = _mappings(doc.scene.variants, primitive, material_of)
    if mappings and not doc.options.ids:
        entry["extensions"] = {"KHR_materials_variants": {"mappings": mappings}}
    if primitive.morphs and doc.options.motion:
        entry["targets"] = [
            {
                key: doc.accessor(values, _ARRAY, bounded=key == "POSITION")
                for key, values in (("POSITION", m.positions), ("NORMAL", m.normals))
                if values is not None
            }
            for m in primitive.morphs
        ]
    return entry


def _mappings(
    names: Sequence[str], primitive: Primitive, material_of: dict[str, int]
) -> list[dict[str, Any]]:
    """Materials that a slot wears in other variants, each with those variants (KHR_materials_variants)."""
    worn: dict[int, list[int]] = {}
    for number, name in enumerate(names):
        material = primitive.variants.get(name)
        if material in material_of:
            worn.setdefault(material_of[material], []).append(number)
    return [{"material": material, "variants": numbers} for material, numbers in worn.items()]


def _skin(doc: Document, skin: Any, node_of: dict[str, int]) -> dict[str, Any]:
    return {
        "name": skin.name,
        "joints": [node_of[j] for j in skin.joints],
        "inverseBindMatrices": doc.accessor(
            skin.inverse_bind.transpose(0, 2, 1).reshape(-1, 16).astype(np.float32)
        ),
    }


def _rising(channel: Channel) -> Channel:
    """The channel with keys that rise in time, of several at one moment the last (glTF 2.0, 3.11: strictly
    increasing), and without those that are no numbers.
    """
    times = channel.times_s
    later = np.append(times[1:] > times[:-1], True) if len(times) else np.zeros(0, bool)
    later &= np.isfinite(times) & np.isfinite(channel.values).reshape(len(times), -1).all(axis=1)
    return channel if later.all() else replace(channel, times_s=times[later], values=channel.values[later])


def _clip(doc: Document, clip: Any, node_of: dict[str, int]) -> dict[str, Any]:
    samplers, channels = [], []
    for channel in (_rising(c) for c in clip.channels):
        if not len(channel.times_s):
            continue
        width = 1 if channel.path == "weights" else channel.values.shape[-1]
        samplers.append(
            {
                "input": doc.accessor(channel.times_s, bounded=True),
                "output": doc.accessor(np.ascontiguousarray(channel.values, np.float32).reshape(-1, width)),
                "interpolation": channel.interpolation,
            }
        )
        channels.append(
            {"sampler": len(samplers) - 1, "target": {"node": node_of[channel.node], "path": channel.path}}
        )
    entry = {"name": clip.name, "samplers": samplers, "channels": channels}
    return {**entry, "extras": {"id": clip.id}} if doc.options.ids else entry
