"""UV charts for meshes that have none, made in a process of its own: a fault in native code may end that process, never ours."""

from __future__ import annotations

import contextlib
import io
import subprocess
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.scene.model import Floats, Indices

TRIES, LONGEST_S = 3, 300


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
    sent = io.BytesIO()
    np.savez(sent, **given)
    for _ in range(TRIES):
        with contextlib.suppress(subprocess.TimeoutExpired):
            done = subprocess.run([sys.executable, "-m", "trasloco.scene.charting"], input=sent.getvalue(), capture_output=True, timeout=LONGEST_S, check=False)
            if done.returncode == 0:
                with np.load(io.BytesIO(done.stdout)) as made:
                    return [Charted(made[f"o{k}"], made[f"i{k}"], made[f"uv{k}"]) for k in range(len(meshes))]
    raise Refused("No UV charts could be made for these parts.", f"{sum(len(i) for _, i, _ in meshes)} triangles", "Give them a second UV set where they were made, or leave the vertex colours out.")
