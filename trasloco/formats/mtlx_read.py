"""MaterialX documents as material libraries: every surface material through the shared graph.

No geometry comes with them.
"""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

import MaterialX as mx

from trasloco.errors import Refused
from trasloco.formats.bundle import Bundle
from trasloco.formats.graph import Graph
from trasloco.formats.graph_library import constant
from trasloco.formats.graph_surfaces import SURFACES, surface_material
from trasloco.formats.graph_telling import telling
from trasloco.formats.graph_terms import GraphNode, Wire
from trasloco.formats.reading import Notes, Read
from trasloco.formats.usd_materials import placed, placed_about
from trasloco.limits import LIMITS
from trasloco.scene.model import Declared, Material, Scene, Texture

_UV_SET = re.compile(r"(?:st|uv|texcoord)_?(\d)", re.IGNORECASE)
_WRAP = {"periodic": "repeat", "clamp": "clamp", "constant": "clamp", "mirror": "mirror"}
_IMAGES = {"image", "tiledimage", "gltf_image", "gltf_colorimage", "gltf_normalmap", "UsdUVTexture"}


def read_materialx(path: str, bundle: Bundle) -> Read:
    """The materials of the document at ``path``; the scene has no parts.

    Raises:
        Refused: broken XML, no materials, or graphs that feed themselves.
    """
    data = bundle.held(path)
    if len(data) > LIMITS.text_bytes or b"<!ENTITY" in data[:4096]:
        raise Refused(
            "The document defines entities or is larger than the limit.", path, "Export it as plain XML."
        )
    notes = Notes(path, bundle, used={path})
    document = mx.createDocument()
    options = mx.XmlReadOptions()
    options.readXIncludeFunction = None
    try:
        mx.readFromXmlString(document, data.decode("utf-8"), mx.FileSearchPath(), options)
    except Exception as error:  # noqa: BLE001  (the library raises several unrelated types)
        raise Refused(
            f"The document cannot be read ({str(error)[:120]}).", path, "Export it again."
        ) from None
    if b"xi:include" in data:
        notes.note(
            "unread",
            "Included documents are not read",
            "xi:include",
            "Deliver one document with everything in it.",
            weight=40,
        )
    try:
        materials = _Reader(document, notes).materials()
    except (ValueError, IndexError, TypeError, AttributeError, RecursionError, LookupError) as error:
        raise Refused(
            f"The document is damaged ({type(error).__name__}: {str(error)[:120]}).", path, "Export it again."
        ) from None
    if not materials:
        raise Refused("The document holds no materials.", path, "Check that it has surfacematerial nodes.")
    scene = Scene(
        notes.stem,
        {},
        {},
        {m.id: m for m in materials},
        notes.images,
        unit_m=Declared(1.0, "guess"),
        up_axis=Declared("Y", "guess"),
        declares=frozenset({"roughness", "green", "tint", "vertex_color"}),
    )
    return scene, notes.findings, notes.used


class _Reader:
    def __init__(self, document: Any, notes: Notes) -> None:
        self.document, self.notes = document, notes
        self.nodes: dict[str, GraphNode] = {}
        for element in document.traverseTree():
            if isinstance(element, mx.Node):
                self.nodes[element.getNamePath()] = self._node(element)

    def materials(self) -> list[Material]:
        found: list[Material] = []
        for holder in self.document.getMaterialNodes():
            name = holder.getName()
            shader = next(iter(mx.getShaderNodes(holder)), None)
            surface = self.nodes.get(shader.getNamePath()) if shader is not None else None
            id = self.notes.ids.make("material", name)
            if surface is None or surface.category not in SURFACES:
                self.notes.note(
                    "unread",
                    "A material without a surface that is read",
                    name,
                    "It is not offered.",
                    (id,),
                    weight=30,
                )
                continue
            graph = Graph(self.nodes, self.notes.images, lambda sentence: None)

            told = telling(self.notes.note, name, id)
            made = surface_material(id, name, surface, graph, told)
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
            found.append(made.material)
        return found

    def _node(self, element: Any) -> GraphNode:
        inputs: dict[str, Any] = {}
        file = ""
        space = ""
        for given in element.getInputs():
            value = self._value(given)
            if given.getType() == "filename":
                source = given.getInterfaceInput() or given
                file, space = (
                    source.getActiveFilePrefix() + source.getValueString(),
                    given.getActiveColorSpace() or source.getActiveColorSpace(),
                )
            elif value is not None:
                inputs[given.getName()] = value
        category, kind = element.getCategory(), element.getType()
        texture = self._texture(category, element, file, space) if file and category in _IMAGES else None
        if category == "gltf_normalmap" and texture is not None:
            inner = f"{element.getNamePath()}/image"
            self.nodes[inner] = GraphNode(inner, "image", "vector3", {}, texture)
            return GraphNode(element.getNamePath(), "normalmap", kind, {"in": Wire(inner)})
        return GraphNode(element.getNamePath(), category, kind, inputs, texture)

    def _value(self, given: Any, depth: int = 0) -> Any:
        """A wire, numbers, or text; interface inputs are followed to the graph's own value."""
        if depth > 16:
            return None
        if given.hasInterfaceName():
            outer = given.getInterfaceInput()
            return self._value(outer, depth + 1) if outer is not None else None
        output = given.getConnectedOutput()
        node = given.getConnectedNode()
        if node is not None:
            channel = (
                given.getOutputString()
                if output is None
                else (output.getOutputString() if output is not None else "")
            )
            return Wire(node.getNamePath(), channel or "out")
        return constant(given.getValue())

    def _texture(self, category: str, element: Any, file: str, space: str) -> Texture:
        encoding: Any = "srgb" if space in ("srgb_texture", "sRGB") else "linear"
        wrap = tuple(
            _WRAP.get(self._text(element, key), "repeat") for key in ("uaddressmode", "vaddressmode")
        )
        texture = Texture(self.notes.image_of(file), "rgb", encoding, wrap=(wrap[0], wrap[1]))
        if category == "tiledimage":
            tiling, offset = (
                self._pair(element, "uvtiling", (1.0, 1.0)),
                self._pair(element, "uvoffset", (0.0, 0.0)),
            )
            texture = placed(texture, 0.0, tiling, (-offset[0], -offset[1]))
        given = element.getInput("texcoord")
        node = given.getConnectedNode() if given is not None else None
        for _ in range(8):
            if node is None:
                break
            if node.getCategory() == "place2d":
                scale, offset, pivot = (
                    self._pair(node, "scale", (1.0, 1.0)),
                    self._pair(node, "offset", (0.0, 0.0)),
                    self._pair(node, "pivot", (0.0, 0.0)),
                )
                turn = node.getInputValue("rotate") or 0.0
                texture = placed_about(
                    texture, -float(turn), (1 / (scale[0] or 1.0), 1 / (scale[1] or 1.0)), offset, pivot
                )
                given = node.getInput("texcoord")
                node = given.getConnectedNode() if given is not None else None
            elif node.getCategory() == "texcoord":
                return replace(texture, uv_set=int(node.getInputValue("index") or 0))
            else:
                numbered = _UV_SET.fullmatch(self._text(node, "geomprop"))
                return replace(texture, uv_set=min(int(numbered[1]), 7) if numbered else 0)
        return texture

    @staticmethod
    def _text(element: Any, name: str) -> str:
        value = element.getInputValue(name) if element.getInput(name) is not None else None
        return value if isinstance(value, str) else ""

    @staticmethod
    def _pair(element: Any, name: str, fallback: tuple[float, float]) -> tuple[float, float]:
        value = element.getInputValue(name) if element.getInput(name) is not None else None
        return (
            (float(value[0]), float(value[1]))
            if value is not None and hasattr(value, "__getitem__")
            else fallback
        )
