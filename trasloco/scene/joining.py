"""Slots of a mesh made one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

import numpy as np
import numpy.typing as npt

from trasloco.scene.geometry import flat_normals, taken
from trasloco.scene.model import Mesh, MorphTarget, Primitive

Slots = Literal["kept", "by material", "one a part", "none"]
"""How slots are kept: sheets say it (:class:`trasloco.sheets.model.Structure`)."""


def concatenated(group: Sequence[Primitive]) -> Primitive:
    """Primitives and their shapes as one, of the first's material; what only some have (UVs, colours) is
    filled with zero, or white.
    """
    sets = max(len(p.uvs) for p in group)
    colored, directed, skinned = (
        any(p.colors is not None for p in group),
        all(p.normals is not None for p in group),
        all(p.joints is not None and p.weights is not None for p in group),
    )
    starts = np.cumsum([0, *(len(p.positions) for p in group)])
    uvs = tuple(
        np.concatenate(
            [p.uvs[k] if k < len(p.uvs) else np.zeros((len(p.positions), 2), np.float32) for p in group]
        )
        for k in range(sets)
    )
    colors = (
        np.concatenate(
            [p.colors if p.colors is not None else np.ones((len(p.positions), 4), np.float32) for p in group]
        )
        if colored
        else None
    )
    return Primitive(
        np.concatenate([p.positions for p in group]),
        np.concatenate([p.indices + np.uint32(s) for p, s in zip(group, starts[:-1], strict=True)]).astype(
            np.uint32
        ),
        np.concatenate([p.normals for p in group if p.normals is not None]) if directed else None,
        None,
        uvs,
        colors,
        np.concatenate([p.joints for p in group if p.joints is not None]) if skinned else None,
        np.concatenate([p.weights for p in group if p.weights is not None]) if skinned else None,
        _shapes(group, starts),
        group[0].material,
        group[0].variants,
    )


def _shapes(group: Sequence[Primitive], starts: npt.NDArray[np.int64]) -> tuple[MorphTarget, ...]:
    """Shapes of all, where some have none they stay as they are."""
    made = []
    for k in range(max(len(p.morphs) for p in group)):
        moved = np.zeros((int(starts[-1]), 3), np.float32)
        turned = np.zeros_like(moved)
        directed = False
        for p, start in zip(group, starts, strict=False):
            one = p.morphs[k] if k < len(p.morphs) else MorphTarget(None)
            if one.positions is not None:
                moved[start : start + len(p.positions)] = one.positions
            if one.normals is not None:
                turned[start : start + len(p.positions)] = one.normals
                directed = True
        made.append(MorphTarget(moved, turned if directed else None))
    return tuple(made)


def filled(mesh: Mesh) -> list[Primitive]:
    """Slots that have faces."""
    return [p for p in mesh.primitives if len(p.indices)]


def joined_slots(primitives: Sequence[Primitive], how: Slots) -> tuple[Primitive, ...]:
    """Filled slots as a file keeps them: each by itself, one for each material in order of first appearance,
    or all as one (``one a part``, ``none``).

    Where only some have normals, the others get those of their faces, which is how they are drawn.
    """
    if how == "kept":
        return tuple(primitives)
    groups = _groups(primitives, how)
    return tuple(group[0] if len(group) == 1 else _one_of(group) for group in groups)


def slots_within(primitives: Sequence[Primitive], how: Slots) -> list[tuple[Primitive, int, int]]:
    """Every filled slot with the number of the one it is in once they are joined, and of its first face
    there.
    """
    found = []
    for number, group in enumerate(_groups(primitives, how)):
        first = 0
        for p in group:
            found.append((p, number, first))
            first += len(p.indices)
    return found


def _groups(primitives: Sequence[Primitive], how: str) -> list[list[Primitive]]:
    groups: dict[object, list[Primitive]] = {}
    for number, p in enumerate(primitives):
        if len(p.indices) or how == "kept":
            key = number if how == "kept" else p.material if how == "by material" else None
            groups.setdefault(key, []).append(p)
    return list(groups.values())


def _one_of(group: list[Primitive]) -> Primitive:
    if any(p.normals is not None for p in group):
        group = [p if p.normals is not None else faceted(p) for p in group]
    made = concatenated(group)
    if any(p.tangents is not None for p in group):
        none = [
            np.zeros((len(p.positions), 4), np.float32) if p.tangents is None else p.tangents for p in group
        ]
        made = replace(made, tangents=np.concatenate(none))
    return made


def faceted(p: Primitive) -> Primitive:
    """A slot whose faces share no points and have the normals of their planes."""
    count = p.indices.size
    apart = taken(p, p.indices.reshape(-1), np.arange(count, dtype=np.uint32).reshape(-1, 3))
    return replace(apart, normals=flat_normals(apart.positions, apart.indices))
