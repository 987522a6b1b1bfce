"""Geometry and slots in a GLB, images beside it, and a plain material list that says how they belong."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from trasloco.at_rest import Bytes
from trasloco.destinations.layouts.glb import as_form
from trasloco.destinations.layouts.layout import Files, Layout, geometry_path
from trasloco.fit.model import Carried
from trasloco.fit.naming import slug
from trasloco.formats.bundle import Bundle
from trasloco.formats.gltf_document import GlbOptions
from trasloco.formats.gltf_lightmaps import lightmap_image, lightmap_of
from trasloco.formats.gltf_read import read_gltf
from trasloco.formats.gltf_write import write_glb
from trasloco.formats.material_list import SEE_THROUGH, STRENGTHS, parse_list, write_list
from trasloco.inputs.table import INPUTS
from trasloco.scene.images import Image, identify
from trasloco.scene.lit import Backdrop, Camera, Environment, Probe
from trasloco.scene.model import Input, Material, Node, Scene, Texture
from trasloco.sheets.model import Sheet

GREY = (0.5, 0.5, 0.5)
_MODES = {shown: mode for mode, shown in SEE_THROUGH.items()}


def _write(carried: Carried, scene: Scene, sheet: Sheet) -> dict[str, Bytes]:
    return {
        **as_form(write_glb(scene, GlbOptions(materials=False, images=False)), slug(scene.name), sheet),
        "materials.json": write_list(scene, sheet, told=not carried.plan.untouched),
    }


def _read(files: Files, sheet: Sheet, takes: Callable[[Image], bool]) -> Scene:
    geometry = geometry_path(files, ".glb", ".gltf")
    scene, _, _ = read_gltf(geometry, Bundle(dict(files)))
    document = parse_list(bytes(files["materials.json"]), "materials.json")
    images: dict[str, Image] = {}

    def image_at(path: str) -> Image | None:
        data = files.get(path)
        if data is None:
            return None
        image = images.get(path) or identify(f"image:{path}", path.rsplit("/", 1)[-1], path, data)
        if not takes(image):
            return None
        images[path] = image
        return image

    entries = _Told(document.get("materials"), "slot")
    materials = {
        id: _material(material, entries.next(material.name), image_at, sheet)
        for id, material in scene.materials.items()
    }
    told = _Told(document.get("lights"), "name")
    unsaid = next((one.amount for one in sheet.habits if one.acts == "strength without unit"), 1.0)
    lights = {}
    for id, light in scene.lights.items():
        entry = told.next(light.name) or {}
        sized = entry if sheet.lights.sizes else {}
        strength = 1.0 if entry.get("unit") in ("candela", "lux") else unsaid
        lights[id] = replace(
            light,
            intensity=light.intensity * strength,
            shadows=bool(entry.get("shadows", False)),
            angle_rad=float(sized.get("angle_rad", 0.0)),
            radius_m=float(sized.get("radius_m", 0.0)),
        )

    def surrounding(entry: Any) -> tuple[str, float, float] | None:
        """A picture all round that the list names: its id, level and turn."""
        if not isinstance(entry, dict) or entry.get("image") not in files:
            return None
        path = str(entry["image"])
        images[path] = identify(f"image:{path}", path.rsplit("/", 1)[-1], path, files[path])
        return f"image:{path}", float(entry.get("level", 1)), float(entry.get("turn_rad", 0))

    sky, behind = (
        surrounding(document.get("sky")),
        surrounding(document.get("behind")) if sheet.lights.backdrop else None,
    )
    probes = (
        tuple(
            Probe(tuple(p["position"]), tuple(tuple(row) for row in p["lux"]))
            for p in document.get("probes", [])
        )
        if sheet.lightmaps.probes
        else ()
    )
    lenses = _Told(document.get("cameras") if sheet.cameras.lens else [], "name")
    cameras = {id: _sharp(camera, lenses.next(camera.name)) for id, camera in scene.cameras.items()}
    nodes = _lightmapped(scene, document, files, images, sheet) if sheet.lightmaps.taken else scene.nodes
    return replace(
        scene,
        nodes=nodes,
        cameras=cameras,
        materials=materials,
        images={image.id: image for image in images.values()},
        lights=lights,
        environment=Environment(*sky) if sky else None,
        backdrop=Backdrop(*behind) if behind else None,
        probes=probes,
    )


class _Told:
    """Entries of a list by name; equal names are told apart by their order, which is that of the GLB."""

    def __init__(self, entries: Any, key: str) -> None:
        self.waiting: dict[str, list[dict[str, Any]]] = {}
        for entry in entries if isinstance(entries, list) else []:
            if isinstance(entry, dict):
                self.waiting.setdefault(str(entry.get(key)), []).append(entry)

    def next(self, name: str) -> dict[str, Any] | None:
        """The next entry of a name; the last one stays for whatever else has it."""
        held = self.waiting.get(name)
        if not held:
            return None
        return held.pop(0) if len(held) > 1 else held[0]


def _sharp(camera: Camera, entry: dict[str, Any] | None) -> Camera:
    """A camera with the focus that the list gives it."""
    if entry is None or entry.get("focus_m") is None:
        return camera
    return replace(
        camera,
        focus_m=float(entry["focus_m"]),
        f_stop=float(entry["f_stop"]),
        sensor_mm=float(entry.get("sensor_mm", 24)),
    )


def _lightmapped(
    scene: Scene, document: dict[str, Any], files: Mapping[str, Bytes], images: dict[str, Image], sheet: Sheet
) -> dict[str, Node]:
    """Parts with the lightmaps that the list gives them by name, or lit by its probes."""
    parts = _Told(document.get("parts"), "part")
    nodes = dict(scene.nodes)
    for node in scene.parts():
        said = parts.next(node.name) or {}
        if sheet.lightmaps.probes and said.get("light") == "probes":
            nodes[node.id] = replace(node, probed=True)
        entry = said.get("lightmap") if isinstance(said.get("lightmap"), dict) else None
        path = str(entry.get("image")) if entry is not None else ""
        if entry is None or path not in files:
            continue
        if path not in images:
            images[path] = lightmap_image(
                identify(f"image:{path}", path.rsplit("/", 1)[-1], path, files[path]),
                str(entry.get("encoding", "")),
            )
        toward = str(entry.get("direction", "")) if sheet.lightmaps.direction else ""
        if toward in files:
            images[toward] = images.get(toward) or identify(
                f"image:{toward}", toward.rsplit("/", 1)[-1], toward, files[toward]
            )
        nodes[node.id] = replace(
            node,
            lightmap=replace(
                lightmap_of(entry, images[path].id), direction=images[toward].id if toward in images else ""
            ),
        )
    return nodes


def _material(slot: Material, entry: dict[str, Any] | None, image_at: Any, sheet: Sheet) -> Material:
    if entry is None:
        return replace(
            slot, inputs={"base_color": Input(GREY, vertex_color=True), "roughness": Input((0.5,))}
        )
    values = entry.get("values", {})
    inputs: dict[str, Input] = {}
    mode = _MODES.get(entry.get("see_through", "solid"), "opaque")
    for one in sheet.materials.sets:
        path = entry.get("images", {}).get(one.name)
        image = image_at(path) if path else None
        placement = entry.get("placement", {}).get(one.name, {})
        for channel, name in one.channels.items():
            if image is None:
                if path and name == "base_color":
                    inputs[name] = Input(GREY)
                continue
            if name == "opacity" and mode == "opaque":
                continue
            texture = Texture(
                image.id,
                channel,
                one.encoding if channel == "rgb" else "linear",
                int(placement.get("uv_set", 0)),
                tuple(placement.get("offset", (0.0, 0.0))),
                float(placement.get("rotation_rad", 0)),  # type: ignore[arg-type]
                tuple(placement.get("scale", (1.0, 1.0))),
                tuple(placement.get("wrap", ("repeat", "repeat"))),
                green_up=name != "normal" or sheet.conventions.normal_green == "up",
                strength=float(entry.get(STRENGTHS[name], 1)) if name in STRENGTHS else 1.0,  # type: ignore[arg-type]
            )
            inputs[name] = Input(
                INPUTS[name].default if name == "normal" else (1.0,) * INPUTS[name].channels, texture
            )
    for name, value in values.items():
        if name in sheet.materials.inputs and name not in inputs:
            inputs[name] = Input(tuple(value) if isinstance(value, list) else (float(value),))
    inputs.setdefault("base_color", Input(GREY))
    inputs.setdefault("roughness", Input((0.5,)))
    inputs.setdefault("metalness", Input((0.0,)))
    inputs["base_color"] = replace(inputs["base_color"], vertex_color=True)
    return Material(
        slot.id,
        slot.name,
        inputs,
        mode,  # type: ignore[arg-type]
        float(entry.get("cut_at", 0.5)),
        bool(entry.get("two_sided", False)),
        payload=slot.payload,
    )  # type: ignore[arg-type]


LAYOUT = Layout("glb and list", _write, _read, always=frozenset({"base_color", "roughness", "metalness"}))
