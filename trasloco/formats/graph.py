"""Shader graphs, whatever they were written in, reduced to the neutral shape of an input: factor x texture x
vertex colour.

Graphs that are image x constant are reduced to just that. Others are evaluated texel by texel when all they
use is arithmetic, images and
mixes on the same UVs, and patterns over UVs; the result becomes an image of its own. What cannot be evaluated
is told by name. Node semantics: MaterialX 1.39 standard library.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.formats.graph_evaluating import CHANNELS, SAME, Evaluation, node_of
from trasloco.formats.graph_grid import coordinates_set
from trasloco.formats.graph_library import stands_for
from trasloco.formats.graph_nodes import ARITHMETIC, broadcast
from trasloco.formats.graph_telling import EVALUATED
from trasloco.formats.graph_terms import GraphNode, Term, Unreducible, Wire
from trasloco.inputs.spec import Holds
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.images import Image, encode, identify
from trasloco.scene.model import Blend, Layer, Texture

Values = npt.NDArray[np.float32]


class Graph:
    """Nodes of one material by name, with the images they read.

    ``baked`` gathers the images that had to be evaluated.
    """

    def __init__(
        self, nodes: Mapping[str, GraphNode], images: Mapping[str, Image], told: Callable[[str], None]
    ) -> None:
        self.nodes, self.images, self.told = nodes, images, told
        self.baked: dict[str, Image] = {}
        self.evaluation = Evaluation(nodes, images)

    def term(self, given: Any, channels: int, holds: Holds) -> Term | None:
        """A constant or wire as a term of ``channels``; None, and told, when it cannot be known."""
        try:
            relief = self._relief(given, 0) if holds == "vector" else None
            return relief or self._known(given, channels, holds)
        except Unreducible as reason:
            self.told(str(reason))
        except Refused as reason:
            self.told(str(reason))
        return None

    def _known(self, given: Any, channels: int, holds: Holds) -> Term:
        try:
            return _fitted(self._reduced(given, 0), channels)
        except _NeedsBaking:
            try:
                return self._baked(given, channels, holds)
            except _Apart:
                return self._layered(given, channels, 0)

    def _relief(self, given: Any, depth: int) -> Term | None:
        """A normal map, what it bends further, and mixes of them, as relief with layers of relief over it; None
        for other graphs.
        """
        node = node_of(self.nodes, given, depth) if isinstance(given, Wire) else None
        if node is None or node.texture is not None:
            return None
        if node.category in SAME:
            return self._relief(node.inputs.get("in", (0.0,)), depth + 1)
        if node.category == "normalmap":
            return self._normal_map(node, depth)
        if node.category != "mix":
            return None
        below, top = (self._relief(node.inputs.get(key, (0.0,)), depth + 1) for key in ("bg", "fg"))
        if below is None or top is None:
            return None
        return _laid(below, top, self._layered(node.inputs.get("mix", (1.0,)), 1, depth + 1), "over")

    def _normal_map(self, node: GraphNode, depth: int) -> Term:
        scale = node.inputs.get("scale", (1.0,))
        if not isinstance(scale, tuple):
            self.told("the strength of its relief is not the same everywhere; it is taken as it is")
            scale = (1.0,)
        codes = self._known(node.inputs.get("in", (0.5, 0.5, 1.0)), 3, "data")
        if any(layer.blend != "over" for layer in codes.layers):
            raise Unreducible("its images of relief are not laid over one another")

        def read(texture: Texture) -> Texture:
            return replace(texture, channels="rgb", encoding="linear", strength=float(scale[0]))

        made = Term((0.0, 0.0, 1.0), normal=True)
        if codes.texture is not None:
            over = tuple(replace(layer, texture=read(layer.texture)) for layer in codes.layers)
            made = replace(made, texture=read(codes.texture), layers=over)
        beneath = node.inputs.get("normal")
        below = self._relief(beneath, depth + 1)
        if (
            below is None
            and isinstance(beneath, Wire)
            and node_of(self.nodes, beneath, depth).category != "normal"
        ):
            self.told("what it bends further is no normal map and is left out")
        return made if below is None else _laid(below, made, Term((1.0,)), "add")

    def _reduced(self, given: Any, depth: int) -> Term:
        if not isinstance(given, Wire):
            return Term(tuple(float(v) for v in given))
        node = node_of(self.nodes, given, depth)
        if node.texture is not None:
            return self._picture(node, given.output)
        category = node.category
        if category in SAME:
            return self._reduced(node.inputs.get("in", (0.0,)), depth + 1)
        if category == "constant":
            return self._reduced(node.inputs.get("value", (0.0,)), depth + 1)
        if category in ("geompropvalue", "geomcolor", "UsdPrimvarReader_float3"):
            return self._property(node)
        if category == "multiply":
            return self._product(
                self._reduced(node.inputs.get("in1", (0.0,)), depth + 1),
                self._reduced(node.inputs.get("in2", (1.0,)), depth + 1),
            )
        if category in ("extract", "swizzle") or category.startswith("separate"):
            return self._channel(node, given.output, depth)
        if category == "invert":
            inner = self._reduced(node.inputs.get("in", (0.0,)), depth + 1)
            amount = node.inputs.get("amount", (1.0,))
            if inner.texture is None and isinstance(amount, tuple):
                return Term(tuple(amount[0] - v for v in inner.factor))
            if (
                inner.texture is not None
                and amount == (1.0,)
                and set(inner.factor) == {1.0}
                and inner.texture.encoding == "linear"
            ):
                return replace(inner, texture=replace(inner.texture, invert=not inner.texture.invert))
            raise _NeedsBaking
        if coordinates_set(node) is not None or stands_for(node):
            raise _NeedsBaking
        if category in ARITHMETIC:
            terms = {
                key: self._reduced(value, depth + 1)
                for key, value in node.inputs.items()
                if not isinstance(value, str)
            }
            if all(t.texture is None and not t.vertex_color for t in terms.values()):
                made = ARITHMETIC[category]({key: np.array(t.factor, np.float32) for key, t in terms.items()})
                return Term(tuple(float(v) for v in np.atleast_1d(made)))
            raise _NeedsBaking
        raise Unreducible(f"the node {node.name} ({category}) cannot be evaluated")

    def _picture(self, node: GraphNode, output: str) -> Term:
        assert node.texture is not None
        channel = CHANNELS.get(output)
        wide = (
            3
            if node.type in ("color3", "vector3", "color4", "vector4", "UsdUVTexture") and channel is None
            else 1
        )
        texture = replace(node.texture, channels="rgb" if wide == 3 else channel or "r")
        scale, bias = node.inputs.get("scale", (1.0,) * 4), node.inputs.get("bias", (0.0,) * 4)
        if node.category != "UsdUVTexture" or not isinstance(scale, tuple) or not isinstance(bias, tuple):
            return Term((1.0,) * wide, texture)
        if _is_normal(scale, bias):
            relief = replace(
                texture, encoding="linear", green_up=scale[1] > 0, strength=float(abs(scale[0]) / 2)
            )
            return Term((0.0, 0.0, 1.0), relief, normal=True)
        if any(bias[:wide]):
            raise _NeedsBaking
        at = "rgba".index(texture.channels) if wide == 1 else 0
        return Term(tuple(scale[at : at + wide]), texture)

    def _property(self, node: GraphNode) -> Term:
        name = str(node.inputs.get("geomprop", node.inputs.get("varname", "displayColor")))
        if node.category == "geomcolor" or name.lower() in (
            "displaycolor",
            "color",
            "col",
            "cd",
            "vertexcolor",
            "color_0",
        ):
            return Term((1.0, 1.0, 1.0), vertex_color=True)
        raise Unreducible(f"the point value {name} is not read")

    def _channel(self, node: GraphNode, output: str, depth: int) -> Term:
        inner = self._reduced(node.inputs.get("in", (0.0,)), depth + 1)
        if node.category == "extract":
            index = node.inputs.get("index", (0.0,))
            at = int(index[0]) if isinstance(index, tuple) else 0
        else:
            letter = CHANNELS.get(
                output if node.category.startswith("separate") else str(node.inputs.get("channels", "r"))[:1],
                "r",
            )
            at = "rgba".index(letter)
        if not 0 <= at < 4:
            raise Unreducible(f"the node {node.name} takes a channel that does not exist")
        factor = inner.factor[at] if at < len(inner.factor) else inner.factor[0]
        if inner.texture is None:
            return Term((factor,))
        if len(inner.texture.channels) == 1:
            return Term((factor,), inner.texture)
        return Term((factor,), replace(inner.texture, channels="rgba"[at]))

    def _product(self, first: Term, second: Term) -> Term:
        if first.texture is not None and second.texture is not None:
            raise _NeedsBaking
        if (first.texture or second.texture) is not None and (
            first if first.texture else second
        ).texture.invert:  # type: ignore[union-attr]
            raise _NeedsBaking
        a, b = broadcast(np.array(first.factor), np.array(second.factor))
        texture = first.texture or second.texture
        if texture is not None and len(a) == 3 and len(texture.channels) == 1 and np.ptp(a * b) > 0:
            raise _NeedsBaking
        return Term(tuple(float(v) for v in a * b), texture, first.vertex_color or second.vertex_color)

    def _layered(self, given: Any, channels: int, depth: int) -> Term:
        """A mix, product, sum or screen of images as a value with layers over it, the way MaterialX's
        compositing nodes say it.
        """
        node = node_of(self.nodes, given, depth) if isinstance(given, Wire) else None
        blend = (
            {
                "mix": "over",
                "multiply": "multiply",
                "add": "add",
                "plus": "add",
                "screen": "screen",
                "over": "over",
            }.get(node.category)
            if node is not None
            else None
        )
        if node is None or blend is None:
            try:
                return _fitted(self._reduced(given, depth), channels)
            except _NeedsBaking:
                raise Unreducible(
                    "its images lie on different UVs, and it is more than layers over one another"
                ) from None
        below, above = ("in1", "in2") if node.category in ("multiply", "add") else ("bg", "fg")
        base = self._layered(node.inputs.get(below, (0.0,) * channels), channels, depth + 1)
        top = self._layered(node.inputs.get(above, (0.0,) * channels), channels, depth + 1)
        if top.texture is None and base.texture is not None and not base.layers and blend != "over":
            base, top = top, base  # what commutes may be written either way round
        share = self._layered(node.inputs.get("mix", (1.0,)), 1, depth + 1)
        mask = share.texture
        if node.category == "over" and top.texture is not None:
            mask = replace(top.texture, channels="a", encoding="linear")
        if top.texture is None or top.layers or top.vertex_color or share.layers or share.vertex_color:
            raise Unreducible("its images lie on different UVs, and it is more than layers over one another")
        return replace(
            base,
            layers=(*base.layers, Layer(top.texture, top.factor, mask, blend, float(share.factor[0]))),  # type: ignore[arg-type]
        )  # type: ignore[arg-type]

    def _baked(self, given: Any, channels: int, holds: Holds) -> Term:
        """Evaluate per texel and keep the result as a 16-bit image, large enough for what patterns hold."""
        values, used, words = self.evaluation.kept_detail(given)
        placements = {(t.uv_set, t.offset, t.rotation_rad, t.scale, t.wrap) for t in used}
        if len(placements) > 1:
            raise _Apart("its images lie on different UVs, so their mix has no one image")
        if values.ndim < 3:
            return Term(tuple(float(v) for v in np.atleast_1d(values))[:channels] or (0.0,) * channels)
        values = (
            values[..., :channels]
            if values.shape[2] >= channels
            else np.repeat(values[..., :1], channels, axis=2)
        )
        if holds == "vector" and self.nodes[given.node].category == "UsdUVTexture":
            values = _codes_of(values)
        if float(values.max()) > 1.0005 or float(values.min()) < -0.0005:
            self.told("its values go beyond 0…1 and are clipped")
        clipped = np.clip(values, 0, 1)
        stored = linear_to_srgb(clipped) if holds == "color" else clipped
        data = encode(np.round(stored * 65535).astype(np.uint16), "png")
        name = f"evaluated-{hashlib.sha256(data).hexdigest()[:8]}.png"
        image = identify(f"image:{name}", name, name, data)
        self.baked[image.id] = image
        texture = replace(
            used[0],
            image=image.id,
            channels="rgb" if channels == 3 else "r",
            encoding="srgb" if holds == "color" else "linear",
            invert=False,
        )
        self.told(f"{EVALUATED}{words}")
        return Term((1.0,) * channels, texture)


def _laid(below: Term, top: Term, share: Term, blend: Blend) -> Term:
    """Relief with a layer of relief over it. Raises Unreducible for what is more than that."""
    if top.texture is None and blend == "add":
        return below
    if top.texture is None or top.layers or share.layers or share.vertex_color:
        raise Unreducible("its relief is more than layers over one another")
    layer = Layer(top.texture, (1.0, 1.0, 1.0), share.texture, blend, float(share.factor[0]))
    return replace(below, layers=(*below.layers, layer))


class _NeedsBaking(Exception):
    pass


class _Apart(Unreducible):
    """Images that lie on different UVs: they can be layers, and not one image."""


def _is_normal(scale: tuple[float, ...], bias: tuple[float, ...]) -> bool:
    """Whether texels are spread to directions: 2 t - 1, in x and y times a strength."""
    if len(scale) < 3 or len(bias) < 3:
        return False
    spread = all(abs(2 * b + s) < 1e-3 for s, b in zip(scale[:3], bias[:3]))
    return spread and abs(scale[2] - 2) < 1e-3 and scale[0] > 0 and abs(abs(scale[1]) - scale[0]) < 1e-3


def _codes_of(directions: Values) -> Values:
    """Directions (H, W, 3) of any length as an image of normals holds them: (d + 1) / 2, of length one."""
    length = np.linalg.norm(directions, axis=2, keepdims=True)
    upright = np.array((0.0, 0.0, 1.0), np.float32)
    unit = np.where(length > 1e-6, directions / np.maximum(length, 1e-6), upright)
    return ((unit + 1) / 2).astype(np.float32)


def _fitted(term: Term, channels: int) -> Term:
    """The same term as a colour or a scalar."""
    if term.normal:
        return term
    factor = term.factor
    if channels == 3 and len(factor) != 3:
        factor = (factor[0],) * 3 if len(factor) < 3 else factor[:3]
    if channels == 1 and len(factor) > 1:
        factor = factor[:1]
    texture = term.texture
    if texture is not None and channels == 1 and texture.channels == "rgb":
        texture = replace(texture, channels="r")
    return replace(term, factor=tuple(factor), texture=texture)
