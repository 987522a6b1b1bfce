"""OpenUSD as Fornace reads it: composed meshes, MaterialX networks, UsdLux lights, back into the neutral scene."""

from __future__ import annotations

import math
import posixpath
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from pxr import Usd, UsdGeom, UsdLux, UsdShade

from trasloco.errors import Refused
from trasloco.formats.usd_write import CUSTOM_NAME
from trasloco.scene.ids import IdMaker
from trasloco.scene.images import Image, identify, missing_image
from trasloco.scene.inputs import INPUTS
from trasloco.scene.model import Camera, Declared, Doubles, Environment, Floats, Input, Light, Material, Mesh, Node, Primitive, Scene, Texture
from trasloco.scene.transforms import settle_matrix

_FROM_OPENPBR = {spec.openpbr: spec.name for spec in INPUTS.values() if spec.openpbr}


def read_usd(path: str, files: Mapping[str, bytes]) -> Scene:
    """The stage at ``path``; files it refers to are looked up in ``files``.

    Raises:
        Refused: the layer cannot be opened.
    """
    with tempfile.TemporaryDirectory() as folder:
        layer = Path(folder) / posixpath.basename(path)
        layer.write_bytes(files[path])
        try:
            stage = Usd.Stage.Open(str(layer))
        except Exception as error:  # noqa: BLE001  (the library raises its own unspecific type)
            raise Refused(f"The layer cannot be opened ({str(error)[:200]}).", path, "Export it again.") from None
        return _Reader(stage, path, files).scene()


class _Reader:
    def __init__(self, stage: Any, path: str, files: Mapping[str, bytes]) -> None:
        self.stage, self.path, self.files = stage, path, files
        self.ids = IdMaker()
        self.images: dict[str, Image] = {}
        self.materials: dict[str, Material] = {}
        self.material_of: dict[Any, str] = {}
        axis = "Z" if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z else "Y"
        self.settle = settle_matrix(axis, UsdGeom.GetStageMetersPerUnit(stage))
        self.cache = UsdGeom.XformCache()

    def scene(self) -> Scene:
        nodes: dict[str, Node] = {}
        meshes: dict[str, Mesh] = {}
        lights: dict[str, Light] = {}
        cameras: dict[str, Camera] = {}
        environment: Environment | None = None
        for prim in self.stage.Traverse():
            name = str(prim.GetName())
            matrix = self.settle @ np.array(self.cache.GetLocalToWorldTransform(prim)).T
            if prim.IsA(UsdGeom.Mesh):
                holder = prim.GetParent().GetAttribute(CUSTOM_NAME)
                name = str(holder.Get()) if holder and holder.HasValue() else name
                id, mesh = self.ids.make("part", name), self.ids.make("mesh", name)
                meshes[mesh] = Mesh(mesh, name, (self.primitive(UsdGeom.Mesh(prim)),))
                nodes[id] = Node(id, name, None, matrix, mesh=mesh)
            elif prim.IsA(UsdLux.DomeLight):
                environment = self.environment(UsdLux.DomeLight(prim))
            elif prim.HasAPI(UsdLux.LightAPI):
                id, light = self.ids.make("part", name), self.light(prim, name)
                lights[light.id] = light
                nodes[id] = Node(id, name, None, self.rigid(matrix), light=light.id)
            elif prim.IsA(UsdGeom.Camera):
                lens = UsdGeom.Camera(prim)
                half = lens.GetVerticalApertureAttr().Get() / 2 / lens.GetFocalLengthAttr().Get()
                id, camera = self.ids.make("part", name), self.ids.make("camera", name)
                cameras[camera] = Camera(camera, name, 2 * math.atan(half))
                nodes[id] = Node(id, name, None, self.rigid(matrix), camera=camera)
        return Scene(posixpath.basename(self.path), nodes, meshes, self.materials, self.images, lights, cameras, environment=environment, unit_m=Declared(1.0, "file"), up_axis=Declared("Y", "file"), declares=frozenset({"unit", "up_axis", "roughness", "green", "vertex_color"}))

    def rigid(self, matrix: Doubles) -> Doubles:
        clean = matrix.copy()
        clean[:3, :3] /= np.maximum(np.linalg.norm(matrix[:3, :3], axis=0), 1e-30)
        return clean

    def primitive(self, mesh: Any) -> Primitive:
        """Triangles of a mesh whose primvars are per vertex; polygons are fanned."""
        points = np.array(mesh.GetPointsAttr().Get(), np.float32).reshape(-1, 3)
        counts = np.array(mesh.GetFaceVertexCountsAttr().Get(), np.int64)
        order = np.array(mesh.GetFaceVertexIndicesAttr().Get(), np.int64)
        starts = np.concatenate([[0], np.cumsum(counts)[:-1]]) if len(counts) else np.zeros(0, np.int64)
        rows = [np.stack([starts[counts > k + 1], starts[counts > k + 1] + k, starts[counts > k + 1] + k + 1], 1) for k in range(1, int(counts.max(initial=2)) - 1)]
        triangles = order[np.concatenate(rows)] if rows else np.zeros((0, 3), np.int64)
        variables = UsdGeom.PrimvarsAPI(mesh)

        def vertex(name: str, width: int) -> Floats | None:
            variable = variables.GetPrimvar(name)
            if not variable or not variable.HasValue():
                return None
            values = np.array(variable.ComputeFlattened(), np.float32).reshape(-1, width)
            return values if len(values) == len(points) else None

        uvs: list[Floats] = []
        for name in ("st", "st1", "st2", "st3"):
            uv = vertex(name, 2)
            if uv is None:
                break
            uvs.append(np.stack([uv[:, 0], 1 - uv[:, 1]], axis=1))
        normals = mesh.GetNormalsAttr().Get()
        normal = np.array(normals, np.float32).reshape(-1, 3) if normals is not None and len(normals) == len(points) else None
        colors = vertex("displayColor", 3)
        rgba = np.concatenate([colors, np.ones((len(colors), 1), np.float32)], axis=1) if colors is not None else None
        bound = UsdShade.MaterialBindingAPI(mesh.GetPrim()).ComputeBoundMaterial()[0]
        return Primitive(points, triangles.astype(np.uint32), normal, None, tuple(uvs), rgba, material=self.material(bound) if bound else None)

    def material(self, shade: Any) -> str:
        path = shade.GetPath()
        if path not in self.material_of:
            attribute = shade.GetPrim().GetAttribute(CUSTOM_NAME)
            name = str(attribute.Get()) if attribute and attribute.HasValue() else str(shade.GetPrim().GetName())
            id = self.ids.make("material", name)
            self.material_of[path] = id
            self.materials[id] = self.network(id, name, shade)
        return self.material_of[path]

    def network(self, id: str, name: str, shade: Any) -> Material:
        """The OpenPBR network of a material; grey when there is none."""
        output = shade.GetSurfaceOutput("mtlx")
        sources = output.GetConnectedSources()[0] if output else []
        if not sources:
            return Material(id, name, {"base_color": Input((0.5, 0.5, 0.5)), "roughness": Input((0.5,))})
        surface = UsdShade.Shader(sources[0].source.GetPrim())
        inputs: dict[str, Input] = {}
        mode, cutoff = "opaque", 0.5
        raw: dict[str, Any] = {}
        for given in surface.GetInputs():
            key = str(given.GetBaseName())
            linked = given.GetConnectedSources()[0]
            node = UsdShade.Shader(linked[0].source.GetPrim()) if linked else None
            if key == "geometry_opacity":
                mode = "blend"
                if node is not None and node.GetIdAttr().Get() == "ND_ifgreatereq_float":
                    mode, cutoff = "mask", float(node.GetInput("value2").Get())
                    tested = node.GetInput("value1").GetConnectedSources()[0]
                    if not tested:
                        inputs["opacity"] = Input((float(node.GetInput("value1").Get()),))
                        continue
                    node = UsdShade.Shader(tested[0].source.GetPrim())
            target = _FROM_OPENPBR.get(key)
            if node is None:
                value = given.Get()
                raw[key] = tuple(value) if hasattr(value, "__len__") else (float(value),)
                if target is not None and target != "sheen_color":
                    inputs[target] = Input(raw[key])
            elif target is not None:
                inputs[target] = self.pictured(target, node)
        if "fuzz_weight" in raw and "fuzz_color" in raw:
            inputs["sheen_color"] = Input(tuple(raw["fuzz_weight"][0] * c for c in raw["fuzz_color"]))
        return Material(id, name, inputs, mode, cutoff, double_sided=True)  # type: ignore[arg-type]

    def pictured(self, target: str, node: Any) -> Input:
        strength = 1.0
        if node.GetIdAttr().Get() == "ND_normalmap_float":
            strength = float(node.GetInput("scale").Get())
            node = UsdShade.Shader(node.GetInput("in").GetConnectedSources()[0][0].source.GetPrim())
        file = node.GetInput("file")
        wrap = {"periodic": "repeat", "clamp": "clamp", "mirror": "mirror"}
        spec = INPUTS[target]
        uv_source = UsdShade.Shader(node.GetInput("texcoord").GetConnectedSources()[0][0].source.GetPrim())
        uv_set = {"st": 0, "st1": 1, "st2": 2, "st3": 3}.get(str(uv_source.GetInput("geomprop").Get()), 0)
        encoding = "srgb" if str(file.GetAttr().GetColorSpace()) == "srgb_texture" else "linear"
        texture = Texture(self.image(str(file.Get().path)), "rgb" if spec.channels == 3 else "r", encoding, uv_set, wrap=(wrap[node.GetInput("uaddressmode").Get()], wrap[node.GetInput("vaddressmode").Get()]), strength=strength)  # type: ignore[arg-type]
        return Input(spec.default if target in ("normal", "clearcoat_normal") else (1.0,) * spec.channels, texture)

    def image(self, reference: str) -> str:
        place = posixpath.normpath(posixpath.join(posixpath.dirname(self.path), reference))
        id = f"image:{place}"
        if id not in self.images:
            data = self.files.get(place)
            self.images[id] = identify(id, posixpath.basename(place), place, data) if data else missing_image(id, posixpath.basename(place), place)
        return id

    def light(self, prim: Any, name: str) -> Light:
        api = UsdLux.LightAPI(prim)
        color = tuple(api.GetColorAttr().Get())
        intensity = float(api.GetIntensityAttr().Get()) * 2.0 ** float(api.GetExposureAttr().Get())
        shadows = bool(UsdLux.ShadowAPI(prim).GetShadowEnableAttr().Get())
        id = self.ids.make("light", name)
        if prim.IsA(UsdLux.DistantLight):
            return Light(id, name, "sun", color, intensity, shadows=shadows)  # type: ignore[arg-type]
        shaping = UsdLux.ShapingAPI(prim)
        angle = shaping.GetShapingConeAngleAttr().Get() if prim.HasAPI(UsdLux.ShapingAPI) else 180.0
        if angle is None or angle >= 180:
            return Light(id, name, "point", color, intensity / 4, shadows=shadows)  # type: ignore[arg-type]
        outer = math.radians(float(angle))
        return Light(id, name, "spot", color, intensity / 4, outer * (1 - float(shaping.GetShapingConeSoftnessAttr().Get() or 0)), outer, shadows)  # type: ignore[arg-type]

    def environment(self, dome: Any) -> Environment:
        image = self.image(str(dome.GetTextureFileAttr().Get().path))
        turn = self.rigid(self.settle @ np.array(self.cache.GetLocalToWorldTransform(dome.GetPrim())).T)
        return Environment(image, float(dome.GetIntensityAttr().Get()), math.atan2(turn[0, 2], turn[0, 0]))
