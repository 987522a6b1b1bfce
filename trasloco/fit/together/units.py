"""What is drawn together: each mesh with what its slots wear."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from trasloco.fit.geometry.backs import backs_for, with_backs
from trasloco.fit.model import together_id
from trasloco.scene.images import Image
from trasloco.scene.joining import filled
from trasloco.scene.model import Input, Material, Primitive, Scene
from trasloco.scene.sampling import placed
from trasloco.sheets.model import Sheet

LEAST_SIDE, MOST_SIDE = 64, 2048
_FILLED = 0.6
"""About how much of its square charts cover."""


@dataclass(frozen=True)
class Unit:
    """A mesh of the reference whose slots are to wear one material.

    ``part`` is the id of the first that wears it, and ``name`` what that is called; ``worn`` are ids of
    materials, in order of slots.
    """

    mesh: str
    part: str
    name: str
    slots: tuple[Primitive, ...]
    worn: tuple[str, ...]

    @property
    def material(self) -> str:
        """Id of the one material."""
        return together_id(self.mesh)


def units_of(reference: Scene, destination: Sheet) -> list[Unit]:
    """Every mesh that is worn and has faces, in order of parts."""
    meshes = with_backs(reference, backs_for(reference, destination)).meshes
    found: dict[str, Unit] = {}
    for part in reference.parts():
        mesh = meshes[part.mesh or ""]
        slots = filled(mesh)
        if not slots or mesh.id in found:
            continue
        worn = dict.fromkeys(p.material for p in slots if p.material in reference.materials)
        found[mesh.id] = Unit(
            mesh.id, part.id, part.name, tuple(slots), tuple(m for m in worn if m is not None)
        )
    return list(found.values())


def side_for(
    unit: Unit, worn: Mapping[str, Material], images: Mapping[str, Image], most: Sequence[int]
) -> int:
    """Texels a side that keep about as many on each face as its images have there: a power of two, no more than
    any of ``most``.
    """
    side = 2 ** round(np.log2(natural_side(unit.slots, worn, images)))
    limit = 2 ** int(np.log2(min([MOST_SIDE, *most])))
    return int(min(max(side, LEAST_SIDE), limit))


def natural_side(
    slots: Iterable[Primitive], worn: Mapping[str, Material], images: Mapping[str, Image]
) -> float:
    """Texels a side of a square that holds what the images of slots have on their faces; 1 at least."""
    texels = 0.0
    for p in slots:
        material = worn.get(p.material or "")
        if material is not None:
            texels += max((_texels(given, p, images) for given in material.inputs.values()), default=0.0)
    return float(max(np.sqrt(texels / _FILLED), 1.0))


def _texels(given: Input, p: Primitive, images: Mapping[str, Image]) -> float:
    """How many texels of an input's finest image lie on the faces of a slot."""
    found = 0.0
    for texture in given.textures:
        image = images.get(texture.image)
        if image is None or not image.usable or texture.uv_set >= len(p.uvs):
            continue
        corner = placed(p.uvs[texture.uv_set], texture)[p.indices]
        a, b = corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]
        area = 0.5 * float(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum())
        found = max(found, area * image.width * image.height)
    return found
