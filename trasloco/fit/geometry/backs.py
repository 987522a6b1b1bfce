"""Back sides that a destination cannot draw from the front's faces: faces of their own, turned, wearing the
back's material.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from trasloco.scene.model import Primitive, Scene
from trasloco.sheets.layouts import has_geometry
from trasloco.sheets.model import Sheet

_LIFT = 2e-4
"""Distance between front and back faces as a share of the mesh's size: in one place they flicker, and a ray
that passes one passes both.
"""


@dataclass(frozen=True)
class Back:
    """A material that gets back faces, and the material they wear."""

    material: str
    wears: str


def backs_for(reference: Scene, destination: Sheet) -> list[Back]:
    """Materials with another material behind, which no format holds, and two-sided ones where the destination
    draws one side only.
    """
    rule = destination.materials.two_sided
    found: list[Back] = []
    if not has_geometry(destination):
        return found
    for material in reference.materials.values():
        if material.back is not None and material.back in reference.materials:
            found.append(Back(material.id, material.back))
        elif material.double_sided and rule == "never":
            found.append(Back(material.id, material.id))
    return found


def with_backs(scene: Scene, backs: list[Back]) -> Scene:
    """The scene with those faces; the front's material is drawn on one side then, and has no other behind."""
    wanted = {back.material: back for back in backs}
    if not wanted:
        return scene
    meshes = {}
    for id, mesh in scene.meshes.items():
        size = max(
            (float(np.ptp(p.positions, axis=0).max()) for p in mesh.primitives if len(p.positions)),
            default=0.0,
        )
        behind = [
            _turned(p, wanted[p.material], size * _LIFT)
            for p in mesh.primitives
            if p.material in wanted and len(p.indices)
        ]
        meshes[id] = replace(mesh, primitives=(*mesh.primitives, *behind)) if behind else mesh
    materials = {
        id: replace(m, double_sided=False, back=None) if id in wanted else m
        for id, m in scene.materials.items()
    }
    return replace(scene, meshes=meshes, materials=materials)


def _turned(p: Primitive, back: Back, lift: float) -> Primitive:
    normals = None if p.normals is None else -p.normals
    positions = p.positions
    if normals is not None:
        positions = (positions + normals * np.float32(lift)).astype(np.float32)
    morphs = tuple(replace(m, normals=None if m.normals is None else -m.normals) for m in p.morphs)
    return replace(
        p,
        positions=positions,
        indices=np.ascontiguousarray(p.indices[:, ::-1]),
        normals=normals,
        tangents=None,
        morphs=morphs,
        material=back.wears,
    )
