"""The neutral scene to OpenUSD: meshes in the stage's unit and axis, MaterialX networks (OpenPBR) with a preview surface beside them, UsdLux lights.

Intensities follow UsdLux with ``normalize`` on: a sphere's luminance is intensity / (4 pi r^2) and its candela are luminance x pi r^2,
so intensity = 4 x candela; a distant light's illuminance is its intensity, in lux.
"""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdLux, UsdShade, Vt

from trasloco.formats.network import SURFACE, Link, network_of
from trasloco.formats.usd_names import identifier
from trasloco.scene.geometry import transform_normals, transform_points
from trasloco.scene.model import Doubles, Input, Material, Scene
from trasloco.scene.tags import KEY, tags_json
from trasloco.scene.transforms import Y_UP_FROM

_TYPES = {"color3": Sdf.ValueTypeNames.Color3f, "float": Sdf.ValueTypeNames.Float, "vector3": Sdf.ValueTypeNames.Float3, "vector2": Sdf.ValueTypeNames.Float2, "string": Sdf.ValueTypeNames.String, "filename": Sdf.ValueTypeNames.Asset, "boolean": Sdf.ValueTypeNames.Bool}
CUSTOM_NAME = "trasloco:name"
POINT_RADIUS_M = 0.001


def uv_name(uv_set: int) -> str:
    return "st" if uv_set == 0 else f"st{uv_set}"


def write_usd(scene: Scene, up_axis: str, unit_m: float, layer: str = "scene.usdc") -> bytes:
    """A USD layer (crate). Image paths are relative to it, as in each image's ``path``. World transforms are applied to the points."""
    handle, path = tempfile.mkstemp(suffix=Path(layer).suffix)
    os.close(handle)
    Path(path).unlink()
    stage = Usd.Stage.CreateNew(path)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z if up_axis == "Z" else UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, unit_m)
    taken: set[str] = set()
    root = UsdGeom.Xform.Define(stage, "/" + identifier(scene.name, taken))
    stage.SetDefaultPrim(root.GetPrim())
    to_stage: Doubles = np.asarray(np.linalg.inv(Y_UP_FROM[up_axis]), np.float64)
    to_stage[:3, :3] /= unit_m
    materials = _materials(stage, scene, root.GetPath())
    _parts(stage, scene, root.GetPath(), to_stage, materials)
    _lights(stage, scene, root.GetPath(), to_stage)
    stage.GetRootLayer().Save()
    del stage
    data = Path(path).read_bytes()
    Path(path).unlink()
    return data


def _materials(stage: Any, scene: Scene, root: Any) -> dict[str, Any]:
    holder = UsdGeom.Scope.Define(stage, root.AppendChild("Materials")).GetPath()
    taken: set[str] = set()
    made: dict[str, Any] = {}
    for material in scene.materials.values():
        shade = UsdShade.Material.Define(stage, holder.AppendChild(identifier(material.name, taken)))
        shade.GetPrim().CreateAttribute(CUSTOM_NAME, Sdf.ValueTypeNames.String, True).Set(material.name)
        _network(stage, shade, material, scene)
        _preview(stage, shade, material, scene)
        made[material.id] = shade
    return made


def _network(stage: Any, shade: Any, material: Material, scene: Scene) -> None:
    nodes = network_of(material, scene, uv_name)
    shaders = {node.name: UsdShade.Shader.Define(stage, shade.GetPath().AppendChild(node.name)) for node in nodes}
    for node in nodes:
        shader = shaders[node.name]
        shader.CreateIdAttr(node.definition)
        for key, (kind, value, space) in node.inputs.items():
            given = shader.CreateInput(key, _TYPES[kind])
            if isinstance(value, Link):
                given.ConnectToSource(shaders[value.node].ConnectableAPI(), "out")
            elif kind == "color3":
                given.Set(Gf.Vec3f(*value))
            elif kind == "filename":
                given.Set(Sdf.AssetPath(value))
            else:
                given.Set(value)
            if space:
                given.GetAttr().SetColorSpace(space)
        shader.CreateOutput("out", Sdf.ValueTypeNames.Token if node.name == SURFACE else _TYPES[node.type])
    shade.CreateSurfaceOutput("mtlx").ConnectToSource(shaders[SURFACE].ConnectableAPI(), "out")


_PREVIEW = {"base_color": ("diffuseColor", "rgb"), "metalness": ("metallic", "r"), "roughness": ("roughness", "r"), "normal": ("normal", "rgb"), "opacity": ("opacity", "r"), "emission": ("emissiveColor", "rgb"), "clearcoat": ("clearcoat", "r"), "clearcoat_roughness": ("clearcoatRoughness", "r"), "ior": ("ior", "r")}


def _preview(stage: Any, shade: Any, material: Material, scene: Scene) -> None:
    """The UsdPreviewSurface fallback with the inputs it has."""
    path = shade.GetPath()
    surface = UsdShade.Shader.Define(stage, path.AppendChild("preview"))
    surface.CreateIdAttr("UsdPreviewSurface")
    for name, (target, channel) in _PREVIEW.items():
        given = material.inputs.get(name)
        if given is None or (name == "opacity" and material.alpha_mode == "opaque"):
            continue
        kind = Sdf.ValueTypeNames.Color3f if channel == "rgb" and name != "normal" else Sdf.ValueTypeNames.Normal3f if name == "normal" else Sdf.ValueTypeNames.Float
        image = scene.images.get(given.texture.image) if given.texture else None
        if image is not None and given.texture is not None:
            reader = _preview_image(stage, path, name, given, image.path)
            surface.CreateInput(target, kind).ConnectToSource(reader.ConnectableAPI(), channel)
        elif name != "normal":
            surface.CreateInput(target, kind).Set(Gf.Vec3f(*given.factor) if channel == "rgb" else float(given.factor[0]))
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
    reader.CreateInput("st", Sdf.ValueTypeNames.Float2).ConnectToSource(uv.ConnectableAPI(), "result")
    reader.CreateInput("wrapS", Sdf.ValueTypeNames.Token).Set({"repeat": "repeat", "mirror": "mirror", "clamp": "clamp"}[given.texture.wrap[0]])
    reader.CreateInput("wrapT", Sdf.ValueTypeNames.Token).Set({"repeat": "repeat", "mirror": "mirror", "clamp": "clamp"}[given.texture.wrap[1]])
    reader.CreateInput("sourceColorSpace", Sdf.ValueTypeNames.Token).Set("sRGB" if given.texture.encoding == "srgb" else "raw")
    if name == "normal":
        reader.CreateInput("scale", Sdf.ValueTypeNames.Float4).Set(Gf.Vec4f(2, 2, 2, 1))
        reader.CreateInput("bias", Sdf.ValueTypeNames.Float4).Set(Gf.Vec4f(-1, -1, -1, 0))
    for output in ("rgb", "r"):
        reader.CreateOutput(output, Sdf.ValueTypeNames.Float3 if output == "rgb" else Sdf.ValueTypeNames.Float)
    return reader


def _parts(stage: Any, scene: Scene, root: Any, to_stage: Doubles, materials: dict[str, Any]) -> None:
    world = scene.world_matrices()
    taken: set[str] = {"materials", "lights", "cameras"}
    for part in scene.parts():
        matrix = to_stage @ world[part.id]
        mirrored = np.linalg.det(matrix[:3, :3]) < 0
        holder = UsdGeom.Xform.Define(stage, root.AppendChild(identifier(part.name, taken)))
        holder.GetPrim().CreateAttribute(CUSTOM_NAME, Sdf.ValueTypeNames.String, True).Set(part.name)
        for key, value in tags_json(part.tags).items():
            holder.GetPrim().SetCustomDataByKey(f"{KEY}:{key}", value)
        for number, primitive in enumerate(scene.meshes[part.mesh or ""].primitives):
            if not len(primitive.indices):
                continue
            mesh = UsdGeom.Mesh.Define(stage, holder.GetPath().AppendChild(f"mesh{number}"))
            points = transform_points(matrix, primitive.positions).astype(np.float32)
            indices = primitive.indices[:, ::-1] if mirrored else primitive.indices
            mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(points)))
            mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(indices), 3, np.int32)))
            mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(np.ascontiguousarray(indices.reshape(-1).astype(np.int32))))
            mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
            mesh.CreateExtentAttr(Vt.Vec3fArray.FromNumpy(np.array([points.min(axis=0), points.max(axis=0)])))
            variables = UsdGeom.PrimvarsAPI(mesh)
            if primitive.normals is not None:
                normals = transform_normals(matrix, primitive.normals) * (-1 if mirrored else 1)
                mesh.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(normals.astype(np.float32))))
                mesh.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
            for k, uv in enumerate(primitive.uvs):
                up = np.stack([uv[:, 0], 1 - uv[:, 1]], axis=1)
                variables.CreatePrimvar(uv_name(k), Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.vertex).Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(up, np.float32)))
            if primitive.colors is not None:
                mesh.CreateDisplayColorPrimvar(UsdGeom.Tokens.vertex).Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(primitive.colors[:, :3])))
            shade = materials.get(primitive.material or "")
            if shade is not None:
                mesh.CreateDoubleSidedAttr(bool(scene.materials[primitive.material or ""].double_sided))
                UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(shade)


def _lights(stage: Any, scene: Scene, root: Any, to_stage: Doubles) -> None:
    world = scene.world_matrices()
    taken: set[str] = set()
    scale = float(np.linalg.norm(to_stage[:3, 0]))
    folder = root.AppendChild("Lights")
    UsdGeom.Scope.Define(stage, folder)
    for node in scene.nodes.values():
        matrix = to_stage @ world[node.id]
        matrix[:3, :3] /= np.maximum(np.linalg.norm(matrix[:3, :3], axis=0), 1e-30)
        light = scene.lights.get(node.light or "")
        if light is not None:
            path = folder.AppendChild(identifier(light.name, taken))
            if light.kind == "sun":
                made: Any = UsdLux.DistantLight.Define(stage, path)
                made.CreateIntensityAttr(float(light.intensity))
                made.CreateAngleAttr(float(np.degrees(light.angle_rad)))
            elif light.kind in ("rectangle", "disc"):
                made = (UsdLux.RectLight if light.kind == "rectangle" else UsdLux.DiskLight).Define(stage, path)
                made.CreateIntensityAttr(float(light.intensity))
                if light.kind == "rectangle":
                    made.CreateWidthAttr(float(light.width_m * scale))
                    made.CreateHeightAttr(float(light.height_m * scale))
                else:
                    made.CreateRadiusAttr(float(light.width_m / 2 * scale))
            else:
                made = UsdLux.SphereLight.Define(stage, path)
                made.CreateIntensityAttr(4.0 * float(light.intensity))
                ball = light.kind == "point" and light.radius_m > 0
                made.CreateTreatAsPointAttr(not ball)
                made.CreateRadiusAttr((light.radius_m if ball else POINT_RADIUS_M) * scale)
                if light.kind == "spot":
                    shaping = UsdLux.ShapingAPI.Apply(made.GetPrim())
                    shaping.CreateShapingConeAngleAttr(float(np.degrees(light.outer_cone_rad)))
                    shaping.CreateShapingConeSoftnessAttr(float(1 - light.inner_cone_rad / max(light.outer_cone_rad, 1e-6)))
            made.CreateNormalizeAttr(light.kind not in ("rectangle", "disc"))
            made.CreateColorAttr(Gf.Vec3f(*light.color))
            UsdLux.ShadowAPI.Apply(made.GetPrim()).CreateShadowEnableAttr(bool(light.shadows))
            UsdGeom.Xformable(made).AddTransformOp().Set(Gf.Matrix4d(matrix.T.tolist()))
        camera = scene.cameras.get(node.camera or "")
        if camera is not None:
            lens = UsdGeom.Camera.Define(stage, root.AppendChild(identifier(camera.name, taken)))
            height = camera.sensor_mm
            lens.CreateVerticalApertureAttr(height)
            lens.CreateHorizontalApertureAttr(height * (camera.aspect or 16 / 9))
            lens.CreateFocalLengthAttr(float(height / 2 / np.tan(camera.yfov_rad / 2)))
            if camera.focus_m and camera.f_stop:
                lens.CreateFStopAttr(float(camera.f_stop))
                lens.CreateFocusDistanceAttr(float(camera.focus_m * scale))
            lens.CreateClippingRangeAttr(Gf.Vec2f(float(camera.znear * scale), float((camera.zfar or 1e4) * scale)))
            lens.AddTransformOp().Set(Gf.Matrix4d(matrix.T.tolist()))
    if scene.environment is not None and scene.environment.image in scene.images:
        dome = UsdLux.DomeLight.Define(stage, folder.AppendChild("Environment"))
        dome.CreateTextureFileAttr(Sdf.AssetPath(scene.images[scene.environment.image].path))
        dome.CreateTextureFormatAttr(UsdLux.Tokens.latlong)
        dome.CreateIntensityAttr(float(scene.environment.level))
        turn = np.eye(4)
        c, s = np.cos(scene.environment.turn_rad), np.sin(scene.environment.turn_rad)
        turn[0, 0], turn[0, 2], turn[2, 0], turn[2, 2] = c, s, -s, c
        rigid = to_stage.copy()
        rigid[:3, :3] /= scale
        dome.AddTransformOp().Set(Gf.Matrix4d((rigid @ turn).T.tolist()))
