"""Lightmaps in a GLB: glTF has no place for them, so a lightmapped part has materials of its own whose
``extras`` name its lightmap.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from trasloco.at_rest import Bytes
from trasloco.formats.gltf_document import GlbOptions
from trasloco.formats.gltf_write import write_glb
from trasloco.light_codes.codes import read
from trasloco.scene.images import Image, encode, identify
from trasloco.scene.model import Lightmap, Material, Mesh, Node, Scene

KEY, SHARES = "lightmap", "shares"


def lightmapped_glb(scene: Scene, encoding: str) -> Bytes:
    """One binary glTF file in which every part with a lightmap has copies of its materials, which say what
    they are copies of.

    Raises:
        Refused: an image of a kind glTF cannot embed.
    """
    nodes, meshes, materials = dict(scene.nodes), dict(scene.meshes), dict(scene.materials)
    extras: dict[str, Any] = {}
    for node in scene.parts():
        if node.lightmap is None:
            continue
        mesh = scene.meshes[node.mesh or ""]
        copies = {}
        for primitive in mesh.primitives:
            base = scene.materials.get(primitive.material or "")
            if base is not None and base.id not in copies:
                copy = replace(base, id=f"{base.id}@{node.id}", name=f"{base.name} on {node.name}")
                materials[copy.id], copies[base.id] = copy, copy.id
                extras[copy.id] = {
                    KEY: _told(node.lightmap, scene.images[node.lightmap.image], encoding),
                    SHARES: base.name,
                }
        own = replace(
            mesh,
            id=f"{mesh.id}@{node.id}",
            primitives=tuple(
                replace(p, material=copies.get(p.material or "", p.material)) for p in mesh.primitives
            ),
        )
        meshes[own.id] = own
        nodes[node.id] = replace(node, mesh=own.id)
    worn = {
        p.material for node in nodes.values() if node.mesh is not None for p in meshes[node.mesh].primitives
    }
    kept = {
        id: m
        for id, m in materials.items()
        if id in worn or id in {materials[w].back for w in worn if w in materials}
    }
    used = {node.mesh for node in nodes.values()}
    images = tuple(dict.fromkeys(node.lightmap.image for node in scene.parts() if node.lightmap is not None))
    return write_glb(
        replace(scene, nodes=nodes, meshes={id: m for id, m in meshes.items() if id in used}, materials=kept),
        GlbOptions(material_extras=extras, more_images=images),
    )


def _told(given: Lightmap, image: Image, encoding: str) -> dict[str, Any]:
    return {
        "image": image.name,
        "uv_set": given.uv_set,
        "scale": list(given.scale),
        "offset": list(given.offset),
        "level": given.level,
        "encoding": encoding,
    }


def with_told_lightmaps(scene: Scene) -> Scene:
    """A scene read from such a file: each part's lightmap from its materials, and materials that are copies
    as the one they share.
    """
    images = {image.name: image for image in scene.images.values()}
    told: dict[str, dict[str, Any]] = {}
    shared: dict[str, str] = {}
    materials: dict[str, Material] = {}
    for material in scene.materials.values():
        extras = material.payload.get("extras")
        entry = extras.get(KEY) if isinstance(extras, dict) else None
        base = str(extras[SHARES]) if isinstance(extras, dict) and isinstance(extras.get(SHARES), str) else ""
        if isinstance(entry, dict) and entry.get("image") in images:
            told[material.id] = entry
        known = next((m for m in materials.values() if m.name == base), None) if base else None
        if base and known is None:
            known = replace(material, id=f"material:{base}", name=base, payload={})
        made = known or material
        materials[made.id] = made
        shared[material.id] = made.id
    plain: dict[str, Image] = {}
    nodes: dict[str, Node] = dict(scene.nodes)
    meshes: dict[str, Mesh] = {
        id: replace(
            mesh,
            primitives=tuple(
                replace(p, material=shared.get(p.material or "", p.material)) for p in mesh.primitives
            ),
        )
        for id, mesh in scene.meshes.items()
    }
    for node in scene.parts():
        entry = next(
            (told[p.material] for p in scene.meshes[node.mesh or ""].primitives if p.material in told), None
        )
        if entry is not None:
            image = lightmap_image(images[entry["image"]], str(entry.get("encoding", "")))
            plain[image.id] = image
            nodes[node.id] = replace(node, lightmap=lightmap_of(entry, image.id))
    return replace(scene, nodes=nodes, meshes=meshes, materials=materials, images={**scene.images, **plain})


def lightmap_of(entry: dict[str, Any], image: str) -> Lightmap:
    """What an entry says of a part's lightmap."""
    scale, offset = (
        tuple(float(v) for v in entry.get(key, default))
        for key, default in (("scale", (1, 1)), ("offset", (0, 0)))
    )
    return Lightmap(image, int(entry.get("uv_set", 1)), scale, offset, float(entry.get("level", 1)))  # type: ignore[arg-type]


def lightmap_image(image: Image, encoding: str) -> Image:
    """A lightmap's file as linear values in [0, 1], which is what its importer keeps."""
    if image.kind == "exr":
        return image
    return identify(
        f"{image.id} read", f"{image.name}.exr", f"{image.path}.exr", encode(read(image, encoding), "exr")
    )
