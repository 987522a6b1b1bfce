"""Nodes of a shader graph, and what they reduce to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from trasloco.scene.model import Layer, Texture


@dataclass(frozen=True)
class Wire:
    """Another node's output."""

    node: str
    output: str = "out"


@dataclass(frozen=True)
class GraphNode:
    """A node: ``inputs`` are constants (tuples of floats, or text) or wires.

    ``texture`` is filled in for image nodes.
    """

    name: str
    category: str
    type: str
    inputs: Mapping[str, Any] = field(default_factory=dict)
    texture: Texture | None = None


@dataclass(frozen=True)
class Term:
    """factor x texture x vertex colour with layers over it; ``normal`` marks values that come out of a normal
    map.
    """

    factor: tuple[float, ...]
    texture: Texture | None = None
    vertex_color: bool = False
    normal: bool = False
    layers: tuple[Layer, ...] = ()


class Unreducible(Exception):
    """A node that can be neither reduced nor evaluated; its text says which."""
