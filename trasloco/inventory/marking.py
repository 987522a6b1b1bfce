"""Evidence that can be shown on the model: faces of parts by number, bounded, with the whole count told
beside.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.scene.findings import Evidence, Finding, Mend
from trasloco.scene.model import Decision, Scene

_MOST = 20_000


def face_offsets(scene: Scene, mesh: str) -> list[int]:
    """Number of the first face of each primitive, counting over the whole mesh."""
    starts = [0]
    for primitive in scene.meshes[mesh].primitives:
        starts.append(starts[-1] + len(primitive.indices))
    return starts


def marked_faces(by_part: Mapping[str, npt.NDArray[Any]]) -> Evidence:
    """``{"faces": {part: [numbers]}, "face_count": total}``, at most 20 000 numbers over all parts."""
    total = sum(len(v) for v in by_part.values())
    left = _MOST
    shown: dict[str, list[int]] = {}
    for part, numbers in by_part.items():
        if left <= 0:
            break
        shown[part] = [int(v) for v in np.sort(numbers)[:left]]
        left -= len(shown[part])
    return {"faces": shown, "face_count": total}


def faces_finding(
    scene: Scene,
    mesh: str,
    parts: list[str],
    numbers: npt.NDArray[Any],
    kind: str,
    title: str,
    consequence: str,
    weight: float,
    cure: tuple[str, str, Any] | None = None,
    more: str = "",
) -> Finding:
    """A finding about faces of a mesh, on every part that shows it.

    ``cure`` is the mend's label with the field and value decided for each part.
    """
    where = f"{names_of(scene, parts)} · {len(numbers)} of {face_offsets(scene, mesh)[-1]} faces{more}"
    mends = (Mend(cure[0], tuple(Decision(part, cure[1], cure[2]) for part in parts)),) if cure else ()
    return Finding(
        f"{kind}:{mesh}",
        kind,
        title,
        where,
        consequence,
        tuple(parts),
        weight,
        marked_faces(dict.fromkeys(parts, numbers)),
        mends,
    )


def names_of(scene: Scene, ids: list[str], most: int = 3) -> str:
    """The first names and how many more."""
    shown = ", ".join(scene.nodes[id].name for id in ids[:most])
    return shown + (f" and {len(ids) - most} more" if len(ids) > most else "")
