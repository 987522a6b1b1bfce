"""Materials as a MaterialX 1.39 document with OpenPBR surfaces."""

from __future__ import annotations

from typing import Any

import MaterialX as mx

from trasloco.errors import Refused
from trasloco.formats.network import SURFACE, Link, network_of
from trasloco.formats.usd_names import identifier, uv_name
from trasloco.scene.model import Scene


def write_materialx(scene: Scene) -> str:
    """The document as XML.

    Raises:
        Refused: the document does not validate (a fault of this program, told rather than delivered).
    """
    document = mx.createDocument()
    taken: set[str] = set()
    for material in scene.materials.values():
        name = identifier(material.name, taken)
        graph = document.addNodeGraph(f"NG_{name}")
        surface_node = document.addNode("open_pbr_surface", f"SR_{name}", "surfaceshader")
        for node in network_of(material, scene, uv_name):
            if node.name == SURFACE:
                for key, (kind, value, space) in node.inputs.items():
                    given = surface_node.addInput(key, kind)
                    if isinstance(value, Link):
                        output = graph.addOutput(f"{key}_out", kind)
                        output.setNodeName(value.node)
                        given.setNodeGraphString(graph.getName())
                        given.setOutputString(output.getName())
                    else:
                        _set(given, kind, value, space)
                continue
            made = graph.addNode(node.category, node.name, node.type)
            for key, (kind, value, space) in node.inputs.items():
                given = made.addInput(key, kind)
                if isinstance(value, Link):
                    given.setNodeName(value.node)
                else:
                    _set(given, kind, value, space)
        if not graph.getNodes():
            document.removeNodeGraph(graph.getName())
        holder = document.addNode("surfacematerial", name, "material")
        holder.addInput("surfaceshader", "surfaceshader").setNodeName(surface_node.getName())
    valid, message = document.validate()
    if not valid:
        raise Refused(
            f"The material document is not valid ({message[:300]}).",
            "materials.mtlx",
            "Report this; nothing was delivered.",
        )
    return str(mx.writeToXmlString(document))


def _set(given: Any, kind: str, value: Any, space: str) -> None:
    if kind in ("color3", "vector2"):
        given.setValueString(", ".join(f"{v:.9g}" for v in value))
    elif kind == "float":
        given.setValueString(f"{value:.9g}")
    else:
        given.setValueString(str(value).lower() if kind == "boolean" else str(value))
    if space:
        given.setColorSpace(space)
