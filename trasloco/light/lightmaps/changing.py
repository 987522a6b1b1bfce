"""How fast light changes over each part, from a few paths at a few points: where it is even, texels are
better spent elsewhere.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from trasloco.light.lightmaps.looks import difference, metered
from trasloco.light.lightmaps.points import in_a_row, light_at_points
from trasloco.render.arrays import FlatScene

POINTS, SAMPLES, BOUNCES = 96, 32, 2
_NEAR = 5
_IN_ALL = 40_000
"""Points over all parts: of thousands of parts each gets a few."""
_ALIKE = 0.9
_NOISE = 2.0
"""Standard errors that a difference must exceed before it counts as one of light."""
LEAST, MOST = 0.5, 2.0
"""Bounds of the weight that a part's texels a metre are multiplied by."""


def change_of_light(flat: FlatScene, parts: Sequence[str]) -> dict[str, float]:
    """ΔE a metre by part: the mean over pairs of near points that face the same way, less what noise
    explains.
    """
    from scipy.spatial import cKDTree

    random = np.random.default_rng(1)
    points = int(np.clip(_IN_ALL // max(len(parts), 1), _NEAR + 3, POINTS))
    number = {id: k for k, id in enumerate(flat.part_ids)}
    a = flat.arrays
    chosen, owners = [], []
    corners = a.positions[a.triangles].astype(np.float64)
    size = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    for part in parts:
        mine = np.flatnonzero(a.triangle_part == number[part]) if part in number else np.zeros(0, np.int64)
        if len(mine) and size[mine].sum() > 0:
            chosen.append(random.choice(mine, points, p=size[mine] / size[mine].sum()))
            owners.append(part)
    if not chosen:
        return {}
    triangles = np.concatenate(chosen)
    root, other = np.sqrt(random.random(len(triangles))), random.random(len(triangles))
    u, v = root * (1 - other), root * other
    lit = in_a_row(light_at_points(flat, triangles, u, v, SAMPLES, BOUNCES), len(triangles))
    c = corners[triangles]
    place = c[:, 0] + u[:, None] * (c[:, 1] - c[:, 0]) + v[:, None] * (c[:, 2] - c[:, 0])
    across = np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0])
    normal = across / np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-30)
    sound = lit.counted >= SAMPLES / 2
    ev100 = metered(lit.lux[sound]) if sound.any() else 0.0
    noise = difference(lit.even, lit.odd, ev100) / 2
    made = {}
    for k, part in enumerate(owners):
        mine = np.arange(k * points, (k + 1) * points)
        mine = mine[sound[mine]]
        if len(mine) <= _NEAR:
            continue
        away, near = (np.asarray(found) for found in cKDTree(place[mine]).query(place[mine], k=_NEAR + 1))
        first, second, metres = mine.repeat(_NEAR), mine[near[:, 1:]].reshape(-1), away[:, 1:].reshape(-1)
        alike = ((normal[first] * normal[second]).sum(axis=1) > _ALIKE) & (metres > 1e-6)
        if not alike.any():
            continue
        first, second, metres = first[alike], second[alike], metres[alike]
        seen = difference(lit.lux[first], lit.lux[second], ev100) - _NOISE * np.hypot(
            noise[first], noise[second]
        )
        made[part] = float((np.maximum(seen, 0) / metres).mean())
    return made


def weights_of(change: Mapping[str, float], size: Mapping[str, float]) -> dict[str, float]:
    """What texels a metre are multiplied by: the root of a part's change against the mean by area, which
    gives the least error for the same number of texels; bounded, so that no part starves.

    Steps between texels are as large as change over density; the sum over the area of their squares is least,
    for a given sum of density squared, with density as the root of change.
    """
    whole = sum(size[part] for part in change)
    middle = sum(size[part] * value for part, value in change.items()) / whole if whole > 0 else 0.0
    if middle <= 0:
        return {}
    return {part: float(np.clip(np.sqrt(value / middle), LEAST, MOST)) for part, value in change.items()}
