"""Openings covered: faces put where some are missing."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.mends.own_meshes import mesh_of_own, with_mesh
from trasloco.mends.slots import merged
from trasloco.meshes.rims import Rim, rims_of
from trasloco.scene.geometry import flat_normals, taken
from trasloco.scene.model import Mesh, Primitive, Scene

_SMOOTH = math.cos(math.radians(30))
"""Normals of the border are kept where the cover bends from them by less."""


def rims_beside(mesh: Mesh, faces: Sequence[int]) -> list[Rim]:
    """Openings whose border has one of some faces, numbered over the mesh's primitives, beside it."""
    wanted = {int(face) for face in faces}
    return [rim for rim in rims_of(mesh.primitives) if wanted & set(rim.faces.tolist())]


def cover_holes(scene: Scene, target: str, value: Any) -> Scene:
    """Openings beside some faces of a part are covered by faces that wear what is worn beside them.

    Covers stand behind all other faces, so that these keep their numbers; :func:`join_covers` puts them where
    they belong. UVs, colours and weights are those along the border; a cover that goes on smoothly takes its
    normals too.
    """
    scene, mesh = mesh_of_own(scene, target)
    if mesh is None or not value:
        return scene
    covers = [_cover(mesh, rim) for rim in rims_beside(mesh, value)]
    return with_mesh(scene, replace(mesh, primitives=(*mesh.primitives, *covers))) if covers else scene


def _cover(mesh: Mesh, rim: Rim) -> Primitive:
    starts = np.cumsum([0, *(len(p.positions) for p in mesh.primitives)])
    owners = np.searchsorted(starts, rim.corners, side="right") - 1
    owner = int(np.bincount(owners).argmax())
    worn = mesh.primitives[owner]
    own = rim.corners - starts[owner]
    for k in np.flatnonzero(owners != owner):
        # A corner that only another slot has takes what the nearest of this slot has.
        own[k] = int(((worn.positions - rim.points[k]) ** 2).sum(axis=1).argmin())
    corners = rim.triangles().reshape(-1)
    made = taken(worn, own[corners], np.arange(len(corners), dtype=np.uint32).reshape(-1, 3))
    made = replace(made, positions=rim.points[corners].astype(np.float32), tangents=None)
    if made.normals is None:
        return made
    flat = flat_normals(made.positions, made.indices)
    smooth = bool(((flat * made.normals).sum(axis=1) > _SMOOTH).all())
    return made if smooth else replace(made, normals=flat)


def join_covers(scene: Scene, target: str, value: Any) -> Scene:
    """Covers become one with what wears the same material."""
    scene, mesh = mesh_of_own(scene, target)
    if mesh is None or not value:
        return scene
    return with_mesh(scene, replace(mesh, primitives=tuple(merged(mesh.primitives))))
