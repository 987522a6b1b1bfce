"""Where on the UVs a graph is evaluated, and how much detail lies between the texels of what comes out."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.formats.graph_terms import GraphNode

Values = npt.NDArray[np.float32]
SIDES = (128, 512, 1024, 2048)
"""Sizes that patterns are drawn at, the first that keeps their detail."""
SOME = 320
"""Texels a side that a size is judged by."""
ENOUGH = 1 / 255
_MOST = 0.999
"""Share of places that have to be that near."""
_UV_SET = re.compile(r"(?:st|uv|texcoord)_?(\d)?", re.IGNORECASE)
_READERS = ("geompropvalue", "UsdPrimvarReader_float2")


@dataclass(frozen=True)
class Grid:
    """The middles of ``side`` x ``side`` texels over the UVs from ``start`` to 1 beyond it, moved by
    ``shift`` texels; V runs up, as in MaterialX. With ``most``, no more than so many of them from the corner
    at u 0, v 1.
    """

    side: int
    shift: float = 0.0
    start: tuple[float, float] = (0.0, 0.0)
    most: int = 0

    def places(self, width: int) -> Values:
        """(side, side, 2), or (side, side, 3) with a third coordinate of nothing."""
        count = min(self.side, self.most or self.side)
        along = (np.arange(count) + 0.5 + self.shift) / self.side
        u = np.broadcast_to(along + self.start[0], (count, count))
        v = np.broadcast_to((1 - along + self.start[1])[:, None], u.shape)
        held = [u, v, np.zeros_like(u)][:width]
        return np.ascontiguousarray(np.stack(held, axis=-1), np.float32)


def beside_its_texels(values: Values, between: Values) -> tuple[float, float]:
    """How far the values between texels, (H, W, C), lie from what their four neighbours make of them, as
    shares of white: all but the worst in a thousand places at most, and the root of the mean square.
    """
    values, between = np.clip(values, 0, 1), np.clip(between, 0, 1)
    mean = (values[:-1, :-1] + values[1:, :-1] + values[:-1, 1:] + values[1:, 1:]) / 4
    off = np.abs(mean - between[:-1, :-1]).max(axis=-1)
    return float(np.quantile(off, _MOST)), float(np.sqrt(np.mean(off * off)))


def coordinates_set(node: GraphNode) -> int | None:
    """The UV set that a node reads places from; None for another node."""
    if node.category == "texcoord":
        index = node.inputs.get("index", (0.0,))
        return min(max(int(index[0]), 0), 7) if isinstance(index, tuple) else 0
    if node.category in _READERS and node.type in ("vector2", "float2", "UsdPrimvarReader_float2"):
        named = _UV_SET.fullmatch(str(node.inputs.get("geomprop", node.inputs.get("varname", "st"))))
        return min(int(named[1] or 0), 7) if named else None
    return None
