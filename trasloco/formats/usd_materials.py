"""Materials of a USD stage: MaterialX networks first, preview surfaces where there is no other, through the
shared graph.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

from pxr import UsdGeom, UsdShade

from trasloco.formats.graph import Graph
from trasloco.formats.graph_surfaces import SURFACES, surface_material
from trasloco.formats.graph_telling import telling
from trasloco.formats.graph_terms import GraphNode, Wire
from trasloco.formats.reading import Notes
from trasloco.formats.usd_names import CUSTOM_NAME, own_words
from trasloco.scene.model import Input, Material, Texture

_WRAP = {
    "repeat": "repeat",
    "periodic": "repeat",
    "clamp": "clamp",
    "black": "clamp",
    "constant": "clamp",
    "mirror": "mirror",
    "useMetadata": "repeat",
}
_IMAGES = {"UsdUVTexture", "image", "tiledimage"}


class UvSets:
    """Numbers of UV primvars by name, in the order materials first ask for them."""

    def __init__(self) -> None:
        self.numbers: dict[str, int] = {}

    def of(self, name: str) -> int:
        return self.numbers.setdefault(name, len(self.numbers))


class UsdMaterials:
    """Reads materials once each; ``image_of(reference)`` gives an image id for an asset path."""

    def __init__(self, stage: Any, notes: Notes, image_of: Any, uv_sets: UvSets) -> None:
        self.stage, self.notes, self.image_of, self.uv_sets = stage, notes, image_of, uv_sets
        self.made: dict[str, Material] = {}

    def material(self, shade: Any) -> str:
        """The id of a bound material."""
        path = str(shade.GetPath())
        if path not in self.made:
            attribute = shade.GetPrim().GetAttribute(CUSTOM_NAME)
            name = (
                str(attribute.Get()) if attribute and attribute.HasValue() else str(shade.GetPrim().GetName())
            )
            self.made[path] = self._read(self.notes.ids.make("material", name), name, shade)
        return self.made[path].id

    def _read(self, id: str, name: str, shade: Any) -> Material:
        grey = Material(
            id,
            name,
            {
                "base_color": Input((0.5, 0.5, 0.5), origin="guess"),
                "roughness": Input((0.5,), origin="guess"),
                "metalness": Input((0.0,), origin="guess"),
            },
        )
        for context in ("mtlx", ""):
            output = shade.GetSurfaceOutput(context) if context else shade.GetSurfaceOutput()
            sources = output.GetConnectedSources()[0] if output else []
            if not sources:
                continue
            reader = _Nodes(self)
            reader.add(sources[0].source.GetPrim())
            surface = reader.nodes[reader.name(sources[0].source.GetPrim())]
            if surface.category not in SURFACES:
                continue
            graph = Graph(reader.nodes, self.notes.images, lambda sentence: None)

            told = telling(self.notes.note, name, id)
            made = surface_material(
                id, name, surface, graph, told, float(UsdGeom.GetStageMetersPerUnit(self.stage))
            )
            self.notes.images.update(graph.baked)
            if made.unread:
                self.notes.note(
                    "unread",
                    "Material inputs that are not read",
                    f"{name} · {', '.join(made.unread[:5])}",
                    "They are left out.",
                    (id,),
                    weight=8,
                )
            return replace(
                made.material, payload={**made.material.payload, **own_words(shade.GetPrim().GetCustomData())}
            )
        self.notes.note(
            "unread", "A material without a surface that is read", name, "It arrives grey.", (id,), weight=50
        )
        return grey


class _Nodes:
    def __init__(self, owner: UsdMaterials) -> None:
        self.owner = owner
        self.nodes: dict[str, GraphNode] = {}

    def name(self, prim: Any) -> str:
        return str(prim.GetPath())

    def add(self, prim: Any) -> None:
        """A shader and all that feeds it."""
        pending = [prim]
        while pending:
            current = pending.pop()
            name = self.name(current)
            if name in self.nodes:
                continue
            shader = UsdShade.Shader(current)
            category, type = _definition(str(shader.GetIdAttr().Get() or "") if shader else "")
            inputs: dict[str, Any] = {}
            for given in shader.GetInputs() if shader else []:
                key = str(given.GetBaseName())
                wire = self._wire(given)
                if isinstance(wire, _Feed):
                    inputs[key] = Wire(self.name(wire.prim), wire.output)
                    pending.append(wire.prim)
                elif wire is not None:
                    inputs[key] = wire
            node = GraphNode(
                name, category, type, {k: v for k, v in inputs.items() if not isinstance(v, _Asset)}
            )
            self.nodes[name] = node
            if category in _IMAGES and isinstance(inputs.get("file"), _Asset):
                self.nodes[name] = replace(node, texture=self._texture(shader, category, inputs))

    def _wire(self, given: Any) -> Any:
        """The shader that feeds an input, its constant value, or None; node-graph and material interfaces are
        passed through.
        """
        for _ in range(16):
            sources = given.GetConnectedSources()[0]
            if not sources:
                return _constant(given)
            source = sources[0]
            prim = source.source.GetPrim()
            if prim.IsA(UsdShade.Shader):
                return _Feed(prim, str(source.sourceName))
            holder = UsdShade.NodeGraph(prim)
            given = (
                holder.GetInput(source.sourceName)
                if source.sourceType == UsdShade.AttributeType.Input
                else holder.GetOutput(source.sourceName)
            )
            if not given:
                return None
        return None

    def _texture(self, shader: Any, category: str, inputs: dict[str, Any]) -> Texture:
        asset: _Asset = inputs["file"]
        image = self.owner.image_of(asset.path)
        space = str(inputs.get("sourceColorSpace", "auto" if category == "UsdUVTexture" else asset.space))
        encoding: Any = "srgb" if space in ("sRGB", "srgb_texture") else "linear"
        if space == "auto":
            held = self.owner.notes.images.get(image)
            encoding = (
                "srgb"
                if held is not None and held.depth <= 8 and held.channels >= 3 and not _is_data(inputs)
                else "linear"
            )
        wrap_keys = ("wrapS", "wrapT") if category == "UsdUVTexture" else ("uaddressmode", "vaddressmode")
        wrap = tuple(_WRAP.get(str(inputs.get(k, "repeat")), "repeat") for k in wrap_keys)
        base = Texture(image, "rgb", encoding, wrap=(wrap[0], wrap[1]))
        return self._placed(base, inputs.get("st", inputs.get("texcoord")), inputs, category)

    def _placed(self, texture: Texture, coordinates: Any, inputs: dict[str, Any], category: str) -> Texture:
        """Follow the coordinates to their primvar, through one 2-D transform on the way."""
        if category == "tiledimage":
            tiling, offset = inputs.get("uvtiling", (1.0, 1.0)), inputs.get("uvoffset", (0.0, 0.0))
            texture = placed(texture, 0.0, tiling, (-offset[0], -offset[1]))
        prim = coordinates
        for _ in range(8):
            if not isinstance(prim, Wire):
                break
            shader = UsdShade.Shader(self.owner.stage.GetPrimAtPath(prim.node))
            category, _ = _definition(str(shader.GetIdAttr().Get() or ""))
            values = {str(i.GetBaseName()): self._wire(i) for i in shader.GetInputs()}
            given = {k: v for k, v in values.items() if isinstance(v, tuple)}
            if category == "UsdTransform2d":
                texture = placed(
                    texture,
                    float(_first(given.get("rotation"), 0.0)),
                    given.get("scale") or (1.0, 1.0),
                    given.get("translation") or (0.0, 0.0),
                )
                prim = _as_wire(values.get("in"))
            elif category == "place2d":
                turn, scale, offset, pivot = (
                    float(_first(given.get("rotate"), 0.0)),
                    given.get("scale") or (1.0, 1.0),
                    given.get("offset") or (0.0, 0.0),
                    given.get("pivot") or (0.0, 0.0),
                )
                texture = placed_about(texture, -turn, (1 / scale[0], 1 / scale[1]), offset, pivot)
                prim = _as_wire(values.get("texcoord"))
            else:
                name = values.get("varname", values.get("geomprop", "st"))
                return replace(
                    texture, uv_set=self.owner.uv_sets.of(str(name)) if isinstance(name, str) else 0
                )
        return replace(texture, uv_set=self.owner.uv_sets.of("st"))


class _Feed:
    def __init__(self, prim: Any, output: str) -> None:
        self.prim, self.output = prim, output


class _Asset:
    def __init__(self, path: str, space: str) -> None:
        self.path, self.space = path, space


def _constant(given: Any) -> Any:
    value = given.Get()
    if value is None:
        return None
    if hasattr(value, "path") and hasattr(value, "resolvedPath"):
        return _Asset(str(value.path), str(given.GetAttr().GetColorSpace() or ""))
    if isinstance(value, str):
        return value
    if isinstance(value, bool | int | float):
        return (float(value),)
    if hasattr(value, "__len__") and len(value) <= 4:
        return tuple(float(v) for v in value)
    return None


def _as_wire(value: Any) -> Any:
    return Wire(str(value.prim.GetPath()), value.output) if isinstance(value, _Feed) else value


def _first(value: Any, fallback: float) -> float:
    return (
        float(value[0])
        if isinstance(value, tuple) and value and isinstance(value[0], int | float)
        else fallback
    )


def _is_data(inputs: dict[str, Any]) -> bool:
    scale = inputs.get("scale")
    return isinstance(scale, tuple) and len(scale) > 2 and abs(scale[2] - 2) < 1e-3


def _definition(identifier: str) -> tuple[str, str]:
    """Category and type of a node identifier, ``ND_image_color3`` being (image, color3)."""
    if not identifier.startswith("ND_"):
        return identifier, identifier
    plain = identifier[3:]
    for surface in SURFACES:
        if plain.startswith(surface):
            return surface, "surfaceshader"
    parts = plain.split("_")
    types = {
        "float",
        "color3",
        "color4",
        "vector2",
        "vector3",
        "vector4",
        "string",
        "boolean",
        "integer",
        "filename",
    }
    at = next((k for k, part in enumerate(parts) if part in types or part.rstrip("FAI") in types), len(parts))
    return "_".join(parts[:at]) or plain, parts[at] if at < len(parts) else ""


def placed(texture: Texture, rotation_deg: float, scale: Any, translation: Any) -> Texture:
    """A texture moved by scale, then rotation, then translation of V-up coordinates, in the neutral V-down
    terms.

    With v' = 1 - v, scale and rotation keep their form and the offset becomes (tx - sin sy, 1 - ty - cos sy).
    """
    turn = math.radians(rotation_deg)
    sx, sy = float(scale[0]), float(scale[1])
    return replace(
        texture,
        rotation_rad=turn,
        scale=(sx, sy),
        offset=(float(translation[0]) - math.sin(turn) * sy, 1 - float(translation[1]) - math.cos(turn) * sy),
    )


def placed_about(texture: Texture, rotation_deg: float, scale: Any, offset: Any, pivot: Any) -> Texture:
    """MaterialX place2d: pivot taken off, scaled, rotated, offset taken off, pivot put back."""
    turn = math.radians(rotation_deg)
    px, py = float(pivot[0]) * float(scale[0]), float(pivot[1]) * float(scale[1])
    moved = (math.cos(turn) * px - math.sin(turn) * py, math.sin(turn) * px + math.cos(turn) * py)
    return placed(
        texture,
        rotation_deg,
        scale,
        (float(pivot[0]) - moved[0] - float(offset[0]), float(pivot[1]) - moved[1] - float(offset[1])),
    )
