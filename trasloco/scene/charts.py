"""UV charts for meshes that have none."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from trasloco.own_process import run_apart
from trasloco.scene.model import Floats, Indices


@dataclass(frozen=True)
class Charted:
    """A mesh cut at chart borders.

    Attributes:
        origin: (N,) the vertex each new vertex came from. indices: (M, 3) into the new vertices.
        uv: (N, 2) in 0…1 over all meshes together, no two triangles overlapping.
    """

    origin: Indices
    indices: Indices
    uv: Floats


Piece = tuple[Floats, Indices, Floats | None]
Square = tuple[Sequence[Piece], int, int]
"""Meshes that share a square, its side in texels, texels between charts."""


def chart(meshes: Sequence[Piece], side: int, padding: int) -> list[Charted]:
    """Charts of (positions (N, 3), indices (M, 3), normals (N, 3) or None), packed together into one square.

    Args:
        side: texels a side of the image that is meant. padding: texels between charts.

    Raises:
        Refused: the chart maker failed on these meshes, every time.
    """
    return chart_each([(meshes, side, padding)])[0]


def chart_each(squares: Sequence[Square]) -> list[list[Charted]]:
    """Charts for several squares in one go: the meshes of each with its side and padding, as in
    :func:`chart`.

    Raises:
        Refused: as there.
    """
    meshes = [mesh for pieces, _, _ in squares for mesh in pieces]
    counts = [len(pieces) for pieces, _, _ in squares]
    given: dict[str, Any] = {
        "counts": np.array(counts),
        "sides": np.array([side for _, side, _ in squares]),
        "paddings": np.array([padding for _, _, padding in squares]),
    }
    for number, (positions, indices, normals) in enumerate(meshes):
        given[f"p{number}"], given[f"i{number}"] = (
            np.ascontiguousarray(positions, np.float32),
            np.ascontiguousarray(indices, np.uint32),
        )
        if normals is not None:
            given[f"n{number}"] = np.ascontiguousarray(normals, np.float32)
    where = f"{sum(len(i) for _, i, _ in meshes)} triangles"
    made = run_apart(
        "trasloco.scene.charting",
        given,
        "No UV charts could be made for these parts",
        where,
        "Give them UVs where they were made, or leave out what needs them.",
        seconds=300,
        tries=3,
    )
    charted = iter([Charted(made[f"o{k}"], made[f"i{k}"], made[f"uv{k}"]) for k in range(len(meshes))])
    return [list(itertools.islice(charted, count)) for count in counts]
