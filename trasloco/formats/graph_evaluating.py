"""Shader graphs evaluated texel by texel: arithmetic, images and mixes on the same UVs, and patterns over
UVs, drawn at a size that keeps their detail.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.formats.graph_grid import ENOUGH, SIDES, SOME, Grid, beside_its_texels, coordinates_set
from trasloco.formats.graph_library import WIDTHS, definition, stands_for, within
from trasloco.formats.graph_nodes import ARITHMETIC
from trasloco.formats.graph_patterns import PATTERNS
from trasloco.formats.graph_terms import GraphNode, Unreducible, Wire
from trasloco.scene.color import srgb_to_linear
from trasloco.scene.images import Image, pixels, unit_floats
from trasloco.scene.model import Texture

Values = npt.NDArray[np.float32]

SAME = {"dot", "convert", "constant_passthrough"}
CHANNELS = {
    "r": "r",
    "g": "g",
    "b": "b",
    "a": "a",
    "x": "r",
    "y": "g",
    "z": "b",
    "w": "a",
    "outr": "r",
    "outg": "g",
    "outb": "b",
    "outa": "a",
    "outx": "r",
    "outy": "g",
    "outz": "b",
}
_MOST_DEPTH = 64
_MOST_KEPT = 2**28
"""Bytes of what nodes made, kept for inputs that share them."""
_INSIDE = (0.31, -0.37)
"""From where on the UVs a size is judged by some of its texels."""


def node_of(nodes: Mapping[str, GraphNode], wire: Wire, depth: int) -> GraphNode:
    """The node at the other end of a wire. Raises Unreducible where there is none, or it feeds itself."""
    node = nodes.get(wire.node)
    if node is None:
        raise Unreducible(f"the node {wire.node} does not exist")
    if depth > _MOST_DEPTH:
        raise Unreducible(f"the node {node.name} feeds itself")
    return node


class Evaluation:
    """Values of the nodes of one material, (H, W, C) over a grid of places or (C,) where they are the same
    everywhere.
    """

    def __init__(self, nodes: Mapping[str, GraphNode], images: Mapping[str, Image]) -> None:
        self.nodes, self.images = nodes, images
        self.grid = Grid(SIDES[0])
        self._drawn: dict[tuple[str, Grid], tuple[Values, tuple[Texture, ...]]] = {}

    def kept_detail(self, given: Any) -> tuple[Values, list[Texture], str]:
        """Values, the textures they are made of, and how large a pattern's image was made and why."""

        def drawn(grid: Grid) -> tuple[Values, list[Texture]]:
            used: list[Texture] = []
            self.grid = grid
            return self._evaluated(given, 0, used), used

        values, used = drawn(Grid(SIDES[0]))
        if not any(not texture.image for texture in used) or values.ndim < 3:
            return values, used, ""
        if any(texture.image for texture in used):
            side = max(SIDES[-2], *values.shape[:2])
            return *drawn(Grid(side)), f" of {side} x {side}"
        off, before, rms, taken = np.inf, np.inf, 0.0, SIDES[0]
        for side in SIDES:
            if side == SIDES[-1] and off > 0.7 * before:
                break  # edges, which no size keeps
            before, taken = off, side
            some, _ = drawn(Grid(side, start=_INSIDE, most=SOME))
            between, _ = drawn(Grid(side, 0.5, _INSIDE, SOME))
            off, rms = beside_its_texels(some, between)
            if off <= ENOUGH or rms <= ENOUGH / 2:
                break
        values, used = drawn(Grid(taken))
        size = f"{values.shape[1]} x {values.shape[0]}"
        words = f" of {size}; between texels it is off by {100 * rms:.1f} % of white in the mean"
        first, _ = drawn(Grid(SIDES[0]))
        for turn in ((1.0, 0.0), (0.0, 1.0)):
            if np.abs(drawn(Grid(SIDES[0], start=turn))[0] - first).max() > ENOUGH:
                words += "; it repeats beyond 0 to 1 of the UVs, where the pattern went on"
                break
        return values, used, words

    def _evaluated(self, given: Any, depth: int, used: list[Texture]) -> Values:
        if not isinstance(given, Wire):
            return np.array(given, np.float32)
        node = node_of(self.nodes, given, depth)
        if node.texture is not None:
            used.append(node.texture)
            values = self._texels(node.texture)
            letter = CHANNELS.get(given.output)
            if letter is not None:
                values = (
                    values[..., "rgba".index(letter) : "rgba".index(letter) + 1]
                    if "rgba".index(letter) < values.shape[2]
                    else np.ones_like(values[..., :1])
                )
            elif node.type == "float":
                values = values[..., :1]
            if node.category == "UsdUVTexture":
                scale, bias = (
                    np.array(node.inputs.get(key, (fill,) * 4), np.float32)
                    for key, fill in (("scale", 1.0), ("bias", 0.0))
                )
                part = (
                    slice("rgba".index(letter), "rgba".index(letter) + 1)
                    if letter
                    else slice(0, values.shape[2])
                )
                values = values * scale[part] + bias[part]
            return values
        if node.category in SAME or node.category == "constant":
            return self._evaluated(node.inputs.get("in", node.inputs.get("value", (0.0,))), depth + 1, used)
        if node.category in ("extract", "swizzle") or node.category.startswith("separate"):
            values = self._evaluated(node.inputs.get("in", (0.0,)), depth + 1, used)
            index = node.inputs.get("index", (0.0,))
            at = (
                int(index[0])
                if node.category == "extract" and isinstance(index, tuple)
                else "rgba".index(CHANNELS.get(given.output, "r"))
            )
            return values[..., at : at + 1] if at < values.shape[-1] else values[..., :1]
        uv_set = coordinates_set(node)
        if uv_set is not None:
            used.append(Texture("", uv_set=uv_set))
            return self.grid.places(WIDTHS.get(node.type, 2))
        if stands_for(node):
            known = (given.node, self.grid)
            if known not in self._drawn:
                own: list[Texture] = []
                values = self._by_library(node, depth, own)
                if sum(held.nbytes for held, _ in self._drawn.values()) + values.nbytes > _MOST_KEPT:
                    self._drawn.clear()
                self._drawn[known] = values, tuple(own)
            values, own_used = self._drawn[known]
            used.extend(own_used)
            return values
        if node.category in ARITHMETIC:
            return ARITHMETIC[node.category](
                {
                    key: self._evaluated(value, depth + 1, used)
                    for key, value in node.inputs.items()
                    if not isinstance(value, str)
                }
            )
        raise Unreducible(f"the node {node.name} ({node.category}) cannot be evaluated")

    def _by_library(self, node: GraphNode, depth: int, used: list[Texture]) -> Values:
        """What the standard library's code or graph makes of a node, its missing inputs filled in."""
        said = definition(node.category, node.type, tuple(node.inputs))
        if said is None:
            raise Unreducible(
                f"the node {node.name} ({node.category}) has inputs that the library does not know"
            )
        values: dict[str, Any] = {}
        for name, default in said.inputs.items():
            value = node.inputs.get(name, default)
            if value == "geometry:UV0":
                used.append(Texture(""))
                values[name] = self.grid.places(2)
            elif isinstance(value, str) and value.startswith("geometry:"):
                raise Unreducible(f"the node {node.name} ({node.category}) depends on {_geometry(value)}")
            elif value is not None:
                values[name] = value if isinstance(value, str) else self._evaluated(value, depth + 1, used)
        if node.category in PATTERNS:
            try:
                with np.errstate(over="ignore"):  # whole numbers wrap round, as a hash asks
                    return PATTERNS[node.category](values, WIDTHS[node.type])
            except (ValueError, OverflowError, KeyError, IndexError, TypeError):
                raise Unreducible(
                    f"the node {node.name} ({node.category}) is given what it cannot be drawn from"
                ) from None
        assert said.out is not None
        inner = Evaluation(within(said, values), self.images)
        inner.grid = self.grid
        return inner._evaluated(said.out, depth + 1, used)

    def _texels(self, texture: Texture) -> Values:
        image = self.images.get(texture.image)
        if image is None or not image.usable:
            raise Unreducible("an image it needs is missing")
        values = unit_floats(pixels(image))
        if texture.encoding == "srgb":
            values = np.concatenate([srgb_to_linear(values[..., :3]), values[..., 3:]], axis=2).astype(
                np.float32
            )
        return np.asarray(1 - values if texture.invert else values, np.float32)


def _geometry(value: str) -> str:
    """What a value of the geometry is, in words."""
    kind = value.partition(":")[2]
    return "where on the object it lies" if kind.startswith("P") else f"the object's shape ({kind})"
