"""UV charts for meshes that have none."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from trasloco.apart import run_apart
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


def chart(meshes: Sequence[tuple[Floats, Indices, Floats | None]], side: int, padding: int) -> list[Charted]:
    """Charts of (positions (N, 3), indices (M, 3), normals (N, 3) or None), packed together into one square.

    Args:
        side: texels a side of the image that is meant. padding: texels between charts.

    Raises:
        Refused: the chart maker failed on these meshes, every time.
    """
    given: dict[str, Any] = {"settings": np.array([side, padding, len(meshes)])}
    for number, (positions, indices, normals) in enumerate(meshes):
        given[f"p{number}"], given[f"i{number}"] = np.ascontiguousarray(positions, np.float32), np.ascontiguousarray(indices, np.uint32)
        if normals is not None:
            given[f"n{number}"] = np.ascontiguousarray(normals, np.float32)
    where = f"{sum(len(i) for _, i, _ in meshes)} triangles"
    made = run_apart("trasloco.scene.charting", given, "No UV charts could be made for these parts", where, "Give them UVs where they were made, or leave out what needs them.", seconds=300, tries=3)
    return [Charted(made[f"o{k}"], made[f"i{k}"], made[f"uv{k}"]) for k in range(len(meshes))]
