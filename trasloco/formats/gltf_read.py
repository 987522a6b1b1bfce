"""glTF 2.0 to the neutral scene: GLB, separate and embedded, every ratified Khronos material extension."""

from __future__ import annotations

import posixpath
from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.formats.bundle import Bundle
from trasloco.formats.glb import parse_document, unpack_glb
from trasloco.formats.gltf_accessors import Accessors
from trasloco.formats.gltf_brushed import brushed
from trasloco.formats.gltf_clouds import read_cloud
from trasloco.formats.gltf_compressed import DRACO, MESHOPT, unpack_compressed
from trasloco.formats.gltf_files import EXPORT_AGAIN, buffers_of, images_of, strings_of
from trasloco.formats.gltf_materials import MATERIAL_EXTENSIONS, floats_of, read_material, read_texture_info
from trasloco.formats.gltf_motion import read_clips, read_skins
from trasloco.formats.gltf_nodes import instances_of, matrix_of, walk_order_of
from trasloco.formats.gltf_primitives import read_primitive, variant_names
from trasloco.formats.gltf_reading import Reading
from trasloco.formats.gltf_techniques import TECHNIQUES, read_technique
from trasloco.formats.reading import CLOUDS_TRAVEL, weights_on
from trasloco.inputs.table import INPUTS, SHARES
from trasloco.scene.findings import Finding
from trasloco.scene.lit import Camera, Light, LightKind
from trasloco.scene.model import Cloud, Declared, Material, Mesh, Node, Scene, Tags, Texture
from trasloco.scene.tags import KEY, tags_of

UNDERSTOOD = MATERIAL_EXTENSIONS | {
    "KHR_lights_punctual",
    "KHR_texture_transform",
    "KHR_mesh_quantization",
    "EXT_mesh_gpu_instancing",
    "EXT_texture_webp",
    "KHR_texture_basisu",
    "KHR_materials_variants",
    DRACO,
    *MESHOPT,
}
_NEAREST = 9728
FACELESS = (0, 1, 2, 3)


def read_gltf(path: str, bundle: Bundle) -> tuple[Scene, list[Finding], set[str]]:
    """Read the glTF file at ``path`` of the bundle.

    Returns:
        The scene, findings about what could not be read, and the bundle paths that were used.

    Raises:
        Refused: damaged, cut short, a required extension that is not understood, references that lead
            nowhere, a node cycle.
    """
    data = bundle.files[path]
    document, binary = (
        unpack_glb(data, path)
        if data[:4] == b"glTF" or path.lower().endswith(".glb")
        else (parse_document(bytes(data), path), memoryview(b""))
    )
    unknown = sorted(set(strings_of(document.get("extensionsRequired"))) - UNDERSTOOD)
    if unknown:
        raise Refused(
            f"The file needs {', '.join(unknown)}, which is not read yet.",
            path,
            "Export it without that extension (compression off, PNG or JPEG images).",
        )
    used = {path}
    buffers = buffers_of(document, binary, path, bundle, used)
    reading = Reading(document, Accessors(document, buffers, path), path, bundle, used=used)
    try:
        unpack_compressed(reading.access)
        scene = _scene(reading)
    except (KeyError, TypeError, ValueError, AttributeError, IndexError) as error:
        raise Refused(
            f"The scene description is damaged ({type(error).__name__}: {error}).", path, EXPORT_AGAIN
        ) from error
    for extension in sorted(set(strings_of(document.get("extensionsUsed"))) - UNDERSTOOD):
        reading.note(
            "unknown_extension",
            "An extension is not understood",
            f"{path} · {extension}",
            "It rides along untouched where the destination's format allows, and is lost elsewhere.",
            weight=5,
        )
    return scene, reading.findings, used


def _materials(reading: Reading, image_order: list[str]) -> tuple[dict[str, Material], list[str]]:
    samplers = reading.items("samplers")
    sharp: list[bool] = []

    def texture_of(info: dict[str, Any]) -> Texture | None:
        texture = reading.access.entry("textures", info.get("index"))
        extensions = texture.get("extensions", {})
        others = [
            extensions[name].get("source")
            for name in ("KHR_texture_basisu", "EXT_texture_webp")
            if name in extensions
        ]
        source = texture.get("source", next(iter(others), None))
        if source is None:
            return None
        reading.access.entry("images", source)
        sampler = (
            samplers[texture["sampler"]]
            if isinstance(texture.get("sampler"), int) and 0 <= texture["sampler"] < len(samplers)
            else {}
        )
        if sampler.get("magFilter") == _NEAREST and not sharp:
            sharp.append(True)
            reading.note(
                "sharp_texels",
                "Texels that are to stay sharp",
                f"{reading.where} · {texture.get('name') or 'a texture'}",
                "Here and at the destinations, neighbours are blended.",
                weight=12,
            )
        return read_texture_info(info, image_order[source], sampler)

    materials: dict[str, Material] = {}
    order: list[str] = []
    for number, source in enumerate(reading.items("materials")):
        name = str(source.get("name") or f"material-{number}")
        id = reading.ids.make("material", name)
        materials[id] = _within(reading, read_material(id, name, source, texture_of))
        shader = (
            source.get("extensions", {}).get(TECHNIQUES)
            if isinstance(source.get("extensions"), dict)
            else None
        )
        if isinstance(shader, dict):
            _, unread = read_technique(shader, texture_of)
            told = f" Not understood: {', '.join(unread[:6])}." if unread else ""
            reading.note(
                "shader",
                "A material of shaders, read in part",
                f"{reading.where} · {name}",
                f"Programs for one renderer cannot be carried; images and numbers were taken by their names.{told}",
                (id,),
                weight=58,
            )
        order.append(id)
    return materials, order


def _within(reading: Reading, material: Material) -> Material:
    """Numbers that the format does not allow are brought within its range, and that is told."""
    beyond = {
        name: given
        for name, given in material.inputs.items()
        if name in SHARES and not all(0 <= f <= 1 for f in given.factor)
    }
    if not beyond:
        return material
    told = ", ".join(
        f"{INPUTS[name].label.lower()} {' '.join(f'{f:g}' for f in given.factor)}"
        for name, given in beyond.items()
    )
    reading.note(
        "out_of_range",
        "Numbers beyond what glTF allows",
        f"{material.name} · {told}",
        "They are taken as the nearest number between 0 and 1.",
        (material.id,),
        weight=30,
    )
    held = {
        name: replace(given, factor=tuple(min(max(f, 0.0), 1.0) for f in given.factor))
        for name, given in beyond.items()
    }
    return replace(material, inputs={**material.inputs, **held})


def _meshes(
    reading: Reading, materials: list[str]
) -> tuple[dict[str, Mesh], list[str | None], dict[str, Cloud], list[list[str]]]:
    """Meshes, and points and lines; with each mesh of the file the id of its faces (None where it has none)
    and the ids of its points and lines.
    """
    meshes: dict[str, Mesh] = {}
    order: list[str | None] = []
    clouds: dict[str, Cloud] = {}
    beside: list[list[str]] = []
    for number, source in enumerate(reading.items("meshes")):
        name = str(source.get("name") or f"mesh-{number}")
        id = reading.ids.make("mesh", name)
        faceless = [p for p in source.get("primitives", []) if p.get("mode", 4) in FACELESS]
        made = {one.id: one for p in faceless if (one := read_cloud(reading, p, name)) is not None}
        clouds |= made
        beside.append(list(made))
        primitives = [
            read_primitive(reading, p, f"{reading.where} · {name}", materials)
            for p in source.get("primitives", [])
            if p.get("mode", 4) not in FACELESS
        ]
        if faceless and not primitives:
            order.append(None)
            continue
        extras = source.get("extras")
        names = tuple(str(n) for n in extras.get("targetNames", ())) if isinstance(extras, dict) else ()
        meshes[id] = Mesh(
            id,
            name,
            tuple(p for p in primitives if p is not None),
            names,
            {"extras": extras} if extras else {},
        )
        order.append(id)
    if clouds:
        reading.note(
            "clouds",
            "Points or lines without faces",
            f"{reading.where} · {', '.join(one.name for one in list(clouds.values())[:3])}",
            CLOUDS_TRAVEL,
            weight=14,
        )
    return meshes, order, clouds, beside


_LAMPS: dict[str, LightKind] = {"directional": "sun", "point": "point", "spot": "spot"}


def _lights(reading: Reading) -> tuple[dict[str, Light], list[str | None]]:
    lights: dict[str, Light] = {}
    order: list[str | None] = []
    holder = reading.document.get("extensions", {}).get("KHR_lights_punctual", {})
    for number, source in enumerate(holder.get("lights", [])):
        name = str(source.get("name") or f"light-{number}")
        id = reading.ids.make("light", name)
        spot = source.get("spot", {})
        color = floats_of(source.get("color"), 3, (1, 1, 1))
        kind = _LAMPS.get(str(source.get("type")))
        if kind is None:
            reading.note(
                "unknown_light",
                "A lamp of a kind that is not known",
                f"{reading.where} · {name}",
                "It is left out: the format knows suns, points and spots.",
            )
            order.append(None)
            continue
        lights[id] = Light(
            id,
            name,
            kind,
            (color[0], color[1], color[2]),
            float(source.get("intensity", 1)),
            float(spot.get("innerConeAngle", 0)),
            float(spot.get("outerConeAngle", np.pi / 4)),
        )  # type: ignore[arg-type]
        order.append(id)
    return lights, order


def _cameras(reading: Reading) -> tuple[dict[str, Camera], list[str]]:
    cameras: dict[str, Camera] = {}
    order: list[str] = []
    for number, source in enumerate(reading.items("cameras")):
        name = str(source.get("name") or f"camera-{number}")
        id = reading.ids.make("camera", name)
        lens = source.get("perspective")
        if not isinstance(lens, dict):
            reading.note(
                "flat_camera",
                "A camera without perspective",
                f"{reading.where} · {name}",
                "It is shown with a perspective of 40 degrees.",
            )
            lens = {"yfov": 0.698}
        cameras[id] = Camera(
            id,
            name,
            float(lens.get("yfov", 0.7)),
            lens.get("aspectRatio"),
            float(lens.get("znear", 0.01)),
            lens.get("zfar"),
        )
        order.append(id)
    return cameras, order


def _scene(reading: Reading) -> Scene:
    images, image_order = images_of(reading)
    read, material_order = _materials(reading, image_order)
    materials = {id: brushed(reading, one, images) for id, one in read.items()}
    meshes, mesh_order, clouds, beside = _meshes(reading, material_order)
    lights, light_order = _lights(reading)
    cameras, camera_order = _cameras(reading)
    skins = read_skins(reading)
    sources = reading.items("nodes")
    nodes: dict[str, Node] = {}
    id_of: dict[int, str] = {}
    place_of: dict[int, str] = {}
    for number, parent in walk_order_of(reading):
        source = sources[number]
        name = str(source.get("name") or f"node-{number}")
        place_of[number] = f"{place_of[parent]}/{name}" if parent is not None else name
        id = id_of[number] = reading.ids.make("part", place_of[number])
        mesh = (
            mesh_order[source["mesh"]]
            if "mesh" in source and reading.access.entry("meshes", source["mesh"]) is not None
            else None
        )
        punctual = source.get("extensions", {}).get("KHR_lights_punctual", {}).get("light")
        light = light_order[punctual] if punctual is not None else None
        camera = (
            camera_order[source["camera"]]
            if "camera" in source and reading.access.entry("cameras", source["camera"]) is not None
            else None
        )
        skin = list(skins)[source["skin"]] if "skin" in source else None
        above = id_of[parent] if parent is not None else None
        instanced = "EXT_mesh_gpu_instancing" in source.get("extensions", {})
        extras = source.get("extras")
        payload = {"extras": extras} if extras else {}
        held = beside[source["mesh"]] if "mesh" in source and not instanced else []
        alone = bool(held) and mesh is None
        nodes[id] = Node(
            id,
            name,
            above,
            matrix_of(source),
            None if instanced else mesh,
            light,
            camera,
            skin,
            payload=payload,
            tags=tags_of(extras.get(KEY)) if isinstance(extras, dict) else Tags(),
            cloud=held[0] if alone else None,
            shape_weights=_shape_weights(reading, source) if mesh is not None else (),
        )
        for cloud in held[alone:]:
            copy = reading.ids.make("part", f"{place_of[number]}/{clouds[cloud].name}")
            nodes[copy] = Node(copy, clouds[cloud].name, id, np.eye(4), cloud=cloud)
        if instanced:
            for matrix in instances_of(reading, source):
                copy = reading.ids.make("part", place_of[number])
                nodes[copy] = Node(copy, name, id, matrix, mesh)
    bound = {key: skin.bind(id_of) for key, skin in skins.items()}
    clips = read_clips(reading, id_of)
    payload = {key: reading.document[key] for key in ("extras",) if reading.document.get(key)}
    name = posixpath.splitext(posixpath.basename(reading.where))[0]
    declares = frozenset({"unit", "up_axis", "roughness", "green", "tint", "vertex_color"})
    return Scene(
        name,
        nodes,
        meshes,
        materials,
        images,
        lights,
        cameras,
        bound,
        clips,
        None,
        Declared(1.0, "file", "glTF is in metres"),
        Declared("Y", "file", "glTF is Y up"),
        declares,
        payload=payload,
        variants=tuple(variant_names(reading)),
        clouds=clouds,
    )


def _shape_weights(reading: Reading, source: dict[str, Any]) -> tuple[float, ...]:
    """How much shapes are on at rest: the node's weights, else its mesh's (glTF 2.0, section 3.7.2.2); none
    where all are off.
    """
    told = source.get("weights", reading.items("meshes")[source["mesh"]].get("weights"))
    if not isinstance(told, list) or not all(isinstance(w, int | float) for w in told):
        return ()
    return weights_on(told)
