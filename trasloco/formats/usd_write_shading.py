"""Materials of a USD layer: MaterialX networks (OpenPBR) with a preview surface beside them."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

from pxr import Gf, Sdf, UsdGeom, UsdShade

from trasloco.formats.network import SURFACE, Link, is_placed, network_of, v_up_placement
from trasloco.formats.usd_names import CUSTOM_NAME, EXTRAS, identifier, uv_name
from trasloco.inputs.spec import PREVIEW
from trasloco.inputs.table import INPUTS, NOT_IN_PREVIEW
from trasloco.scene.model import Input, Material, Scene
from trasloco.scene.resolve import emission_in_one

_TYPES = {
    "color3": Sdf.ValueTypeNames.Color3f,
    "float": Sdf.ValueTypeNames.Float,
    "vector3": Sdf.ValueTypeNames.Float3,
    "vector2": Sdf.ValueTypeNames.Float2,
    "string": Sdf.ValueTypeNames.String,
    "filename": Sdf.ValueTypeNames.Asset,
    "boolean": Sdf.ValueTypeNames.Bool,
}


def write_materials(
    stage: Any, scene: Scene, root: Any, unit_m: float, networks: bool = True, preview: bool = True
) -> dict[str, Any]:
    """Materials below ``root``, by id, as ``networks``, with a ``preview`` surface, or both."""
    holder = UsdGeom.Scope.Define(stage, root.AppendChild("Materials")).GetPath()
    taken: set[str] = set()
    made: dict[str, Any] = {}
    for material in scene.materials.values():
        shade = UsdShade.Material.Define(stage, holder.AppendChild(identifier(material.name, taken)))
        shade.GetPrim().CreateAttribute(CUSTOM_NAME, Sdf.ValueTypeNames.String, True).Set(material.name)
        if material.payload.get("extras"):
            shade.GetPrim().SetCustomDataByKey(EXTRAS, json.dumps(material.payload["extras"]))
        if networks:
            _network(stage, shade, material, scene, unit_m)
        if preview:
            _preview(stage, shade, material, scene)
        made[material.id] = shade
    return made


def _network(stage: Any, shade: Any, material: Material, scene: Scene, unit_m: float) -> None:
    nodes = network_of(material, scene, uv_name, unit_m)
    shaders = {
        node.name: UsdShade.Shader.Define(stage, shade.GetPath().AppendChild(node.name)) for node in nodes
    }
    for node in nodes:
        shader = shaders[node.name]
        shader.CreateIdAttr(node.definition)
        for key, (kind, value, space) in node.inputs.items():
            given = shader.CreateInput(key, _TYPES[kind])
            if isinstance(value, Link):
                given.ConnectToSource(shaders[value.node].ConnectableAPI(), "out")
            elif kind == "color3":
                given.Set(Gf.Vec3f(*value))
            elif kind == "vector2":
                given.Set(Gf.Vec2f(*value))
            elif kind == "filename":
                given.Set(Sdf.AssetPath(value))
            else:
                given.Set(value)
            if space:
                given.GetAttr().SetColorSpace(space)
        shader.CreateOutput("out", Sdf.ValueTypeNames.Token if node.name == SURFACE else _TYPES[node.type])
    shade.CreateSurfaceOutput("mtlx").ConnectToSource(shaders[SURFACE].ConnectableAPI(), "out")


def _preview(stage: Any, shade: Any, material: Material, scene: Scene) -> None:
    """The UsdPreviewSurface fallback with the inputs it has."""
    path = shade.GetPath()
    surface = UsdShade.Shader.Define(stage, path.AppendChild("preview"))
    surface.CreateIdAttr(PREVIEW)
    for name, row in INPUTS.items():
        given, target, channel = material.inputs.get(name), row.nodes.preview, row.written_channels
        if given is None or not target or name in NOT_IN_PREVIEW:
            continue
        if name == "opacity" and material.alpha_mode == "opaque":
            continue
        if name == "emission":
            given = replace(given, factor=emission_in_one(material))
        kind = (
            Sdf.ValueTypeNames.Color3f
            if channel == "rgb" and name != "normal"
            else Sdf.ValueTypeNames.Normal3f
            if name == "normal"
            else Sdf.ValueTypeNames.Float
        )
        image = scene.images.get(given.texture.image) if given.texture else None
        if image is not None and given.texture is not None:
            reader = _preview_image(stage, path, name, given, image.path)
            surface.CreateInput(target, kind).ConnectToSource(reader.ConnectableAPI(), channel)
        elif name != "normal":
            surface.CreateInput(target, kind).Set(
                Gf.Vec3f(*given.factor) if channel == "rgb" else float(given.factor[0])
            )
    if "clearcoat" in material.inputs and "clearcoat_roughness" not in material.inputs:
        surface.CreateInput("clearcoatRoughness", Sdf.ValueTypeNames.Float).Set(
            0.0
        )  # UsdPreviewSurface assumes 0.01
    if material.alpha_mode == "mask":
        surface.CreateInput("opacityThreshold", Sdf.ValueTypeNames.Float).Set(float(material.alpha_cutoff))
    surface.CreateOutput("surface", Sdf.ValueTypeNames.Token)
    shade.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")


def _preview_image(stage: Any, path: Any, name: str, given: Input, file: str) -> Any:
    assert given.texture is not None
    uv = UsdShade.Shader.Define(stage, path.AppendChild(f"preview_uv{given.texture.uv_set}"))
    uv.CreateIdAttr("UsdPrimvarReader_float2")
    uv.CreateInput("varname", Sdf.ValueTypeNames.String).Set(uv_name(given.texture.uv_set))
    uv.CreateOutput("result", Sdf.ValueTypeNames.Float2)
    reader = UsdShade.Shader.Define(stage, path.AppendChild(f"preview_{name}"))
    reader.CreateIdAttr("UsdUVTexture")
    reader.CreateInput("file", Sdf.ValueTypeNames.Asset).Set(Sdf.AssetPath(file))
    placed = _preview_place(stage, path, name, given, uv) if is_placed(given.texture) else uv
    reader.CreateInput("st", Sdf.ValueTypeNames.Float2).ConnectToSource(placed.ConnectableAPI(), "result")
    reader.CreateInput("wrapS", Sdf.ValueTypeNames.Token).Set(
        {"repeat": "repeat", "mirror": "mirror", "clamp": "clamp"}[given.texture.wrap[0]]
    )
    reader.CreateInput("wrapT", Sdf.ValueTypeNames.Token).Set(
        {"repeat": "repeat", "mirror": "mirror", "clamp": "clamp"}[given.texture.wrap[1]]
    )
    reader.CreateInput("sourceColorSpace", Sdf.ValueTypeNames.Token).Set(
        "sRGB" if given.texture.encoding == "srgb" else "raw"
    )
    if name != "normal" and any(f != 1.0 for f in given.factor):
        tint = (given.factor * 3)[:3]
        reader.CreateInput("scale", Sdf.ValueTypeNames.Float4).Set(Gf.Vec4f(*tint, 1))
    if name == "normal":
        reader.CreateInput("scale", Sdf.ValueTypeNames.Float4).Set(Gf.Vec4f(2, 2, 2, 1))
        reader.CreateInput("bias", Sdf.ValueTypeNames.Float4).Set(Gf.Vec4f(-1, -1, -1, 0))
    for output in ("rgb", "r"):
        reader.CreateOutput(
            output, Sdf.ValueTypeNames.Float3 if output == "rgb" else Sdf.ValueTypeNames.Float
        )
    return reader


def _preview_place(stage: Any, path: Any, name: str, given: Input, uv: Any) -> Any:
    """The UsdTransform2d that moves, turns or repeats an image."""
    assert given.texture is not None
    turn, scale, shift = v_up_placement(given.texture)
    moved = UsdShade.Shader.Define(stage, path.AppendChild(f"preview_place_{name}"))
    moved.CreateIdAttr("UsdTransform2d")
    moved.CreateInput("in", Sdf.ValueTypeNames.Float2).ConnectToSource(uv.ConnectableAPI(), "result")
    moved.CreateInput("rotation", Sdf.ValueTypeNames.Float).Set(turn)
    moved.CreateInput("scale", Sdf.ValueTypeNames.Float2).Set(Gf.Vec2f(*scale))
    moved.CreateInput("translation", Sdf.ValueTypeNames.Float2).Set(Gf.Vec2f(*shift))
    moved.CreateOutput("result", Sdf.ValueTypeNames.Float2)
    return moved
