"""What a delivery takes by resource, as a whole and item by item."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, get_args

from trasloco.fit.memory import arrival_bytes
from trasloco.fit.model import PlannedImage
from trasloco.processors import processors
from trasloco.results.route import Route
from trasloco.scene.geometry import draw_count, triangle_count
from trasloco.scene.model import Mesh

Resource = Literal["memory", "download", "triangles", "bake", "draws"]
RESOURCES: tuple[Resource, ...] = get_args(Resource)
"""Bytes of images on arrival, bytes of the package, triangles over all parts, seconds of baking lightmaps, draw
calls before anything is batched.
"""
_NONE = (0.0,) * len(RESOURCES)
_MIB = 2**20


@dataclass(frozen=True)
class Weights:
    """What is taken by resource: in all, by the images of each delivered material, by the mesh of each part (the first
    that wears it). ``arrays``: bytes of a mesh as it is held; ``worn``: by how many parts.
    """

    whole: tuple[float, ...]
    images: Mapping[str, tuple[float, ...]]
    meshes: Mapping[str, tuple[float, ...]]
    arrays: Mapping[str, float]
    worn: Mapping[str, int]


def weights_of(route: Route, before: Weights | None = None) -> Weights:
    """Of what would be delivered. What meshes save of the package beside ``before`` is shared by their
    arrays.
    """
    package, landed, scene = route.package(), route.landed(), route.reference()
    plan, whole = landed.plan, whole_of(route)

    def written(image: PlannedImage) -> int:
        alone = package.files.get(image.path)
        return len(alone if alone is not None else landed.images[image.path].data)

    images: dict[str, tuple[float, ...]] = {}
    for image in plan.images:
        held = images.get(image.wearer, _NONE)
        images[image.wearer] = (held[0] + arrival_bytes(image), held[1] + written(image), *held[2:])
    first: dict[str, str] = {}
    worn: Counter[str] = Counter()
    for part in scene.parts():
        worn[first.setdefault(part.mesh or "", part.id)] += 1
    meshes = {id: landed.scene.meshes[mesh] for mesh, id in first.items() if mesh in landed.scene.meshes}
    arrays = {id: float(_array_bytes(mesh)) for id, mesh in meshes.items()}
    counts = {id: worn[id] * sum(len(p.indices) for p in mesh.primitives) for id, mesh in meshes.items()}
    download = arrays
    if before is not None:
        smaller = sum(before.arrays.values()) - sum(arrays.values())
        share = (before.whole[1] - whole[1]) / smaller if smaller > 0 else 0.0
        download = {id: before.arrays[id] - share * (before.arrays[id] - held) for id, held in arrays.items()}
    return Weights(
        whole,
        images,
        {id: (0.0, download[id], float(counts[id]), 0.0, 0.0) for id in arrays},
        arrays,
        worn,
    )


def whole_of(route: Route) -> tuple[float, ...]:
    """What would be delivered as a whole takes, by resource."""
    landed, (light, bake) = route.landed(), _of_light(route)
    memory = light + sum(map(arrival_bytes, landed.plan.images))
    triangles, draws = triangle_count(landed.scene), draw_count(landed.scene)
    return memory, float(route.package().size_bytes), float(triangles), bake, float(draws)


def _of_light(route: Route) -> tuple[float, float]:
    """Bytes on arrival of what is baked, and seconds on this machine, as was measured of each part."""
    if not route.wish.wanted or not route.has_light():
        return 0.0, 0.0
    baked = route.baked()
    seconds = sum(one.seconds for one in baked.faults.figures.values()) / processors()
    return baked.laid.memory_mib * _MIB, seconds


def _array_bytes(mesh: Mesh) -> int:
    """Bytes of a mesh's arrays as they are held."""
    return sum(
        array.nbytes
        for p in mesh.primitives
        for array in (p.positions, p.indices, p.normals, p.tangents, p.colors, *p.uvs)
        if array is not None
    )
