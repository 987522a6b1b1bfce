"""What the MaterialX standard library says of a node: its inputs with their defaults, and the graph that it
stands for where the library has one.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

import MaterialX as mx

from trasloco.formats.graph_nodes import ARITHMETIC
from trasloco.formats.graph_patterns import PATTERNS
from trasloco.formats.graph_terms import GraphNode, Wire

WIDTHS = {
    "float": 1,
    "integer": 1,
    "boolean": 1,
    "vector2": 2,
    "vector3": 3,
    "color3": 3,
    "vector4": 4,
    "color4": 4,
}
"""Channels by type."""


@dataclass(frozen=True)
class Outer:
    """An input of a node within, which is one of the node that it stands for."""

    name: str


@dataclass(frozen=True)
class Definition:
    """A node as the library has it.

    ``inputs``: constants by name (tuples of floats, or text), or what of the geometry is taken without one
    (``UV0``, ``Pobject``…), as ``geometry:`` and its name. ``within``: the nodes it stands for, whose inputs
    may be :class:`Outer`, and which of them comes out; empty where the library has code.
    """

    inputs: Mapping[str, Any]
    within: Mapping[str, GraphNode]
    out: Wire | None


@cache
def _library() -> Any:
    made = mx.createDocument()
    mx.loadLibraries(["libraries/stdlib"], mx.getDefaultDataSearchPath(), made)
    return made


@cache
def definition(category: str, type: str, given: tuple[str, ...] = ()) -> Definition | None:
    """The library's definition of a node of a category and type; of several, the first that has all inputs
    that are given.
    """
    found = [
        one
        for one in _library().getMatchingNodeDefs(category)
        if one.getType() == type and all(one.getActiveInput(name) is not None for name in given)
    ]
    if not found:
        return None
    inputs = {
        one.getName(): f"geometry:{one.getDefaultGeomPropString()}"
        if one.getDefaultGeomPropString()
        else constant(one.getValue())
        for one in found[0].getActiveInputs()
    }
    graph = found[0].getImplementation()
    if graph is None or not graph.isA(mx.NodeGraph):
        return Definition(inputs, {}, None)
    within = {node.getName(): _inner(node) for node in graph.getNodes()}
    outputs = graph.getOutputs()
    last = outputs[0]
    return Definition(inputs, within, Wire(last.getNodeName(), last.getOutputString() or "out"))


@cache
def _known(category: str, type: str) -> bool:
    if category in PATTERNS:
        return True
    if category in ARITHMETIC or type not in WIDTHS:
        return False
    said = definition(category, type)
    return said is not None and said.out is not None


def stands_for(node: GraphNode) -> bool:
    """Whether the library says what a node makes of numbers: a pattern, or a graph of such nodes."""
    return node.texture is None and _known(node.category, node.type)


def within(said: Definition, values: Mapping[str, Any]) -> dict[str, GraphNode]:
    """The nodes that one stands for, with what it was given."""
    return {
        name: replace(
            node,
            inputs={
                key: values.get(value.name) if isinstance(value, Outer) else value
                for key, value in node.inputs.items()
                if not isinstance(value, Outer) or value.name in values
            },
        )
        for name, node in said.within.items()
    }


def _inner(node: Any) -> GraphNode:
    inputs: dict[str, Any] = {}
    for one in node.getInputs():
        if one.getInterfaceName():
            inputs[one.getName()] = Outer(one.getInterfaceName())
        elif one.getNodeName():
            inputs[one.getName()] = Wire(one.getNodeName(), one.getOutputString() or "out")
        elif one.getValue() is not None:
            inputs[one.getName()] = constant(one.getValue())
    return GraphNode(node.getName(), node.getCategory(), node.getType(), inputs)


def constant(value: Any) -> Any:
    """A value of the library as a tuple of floats, or text; None for what is neither."""
    if value is None or isinstance(value, str):
        return value
    if isinstance(value, bool | int | float):
        return (float(value),)
    try:
        return tuple(float(v) for v in (value.asTuple() if hasattr(value, "asTuple") else value))
    except TypeError:
        return None
