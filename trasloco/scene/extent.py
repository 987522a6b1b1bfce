"""How far a scene reaches: boxes of its parts, and of all of them but the shells of sky that enclose the
rest.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.scene.model import Doubles, Material, Mesh, Node, Scene

_SKY = frozenset({"sky", "dome", "skydome", "skybox", "skysphere", "horizon", "heavens", "firmament"})
_FAR, _ROUND = 5.0, 0.05
"""So many times the rest a round shell measures; and so little its points differ in distance from their
middle.
"""


def bounds(scene: Scene) -> Doubles | None:
    """World-space box (2, 3) of all parts but shells, or None when nothing has geometry."""
    boxes = part_bounds(scene)
    hidden = shells(scene, boxes)
    return union_box({id: box for id, box in boxes.items() if id not in hidden})


def union_box(boxes: Mapping[str, Doubles]) -> Doubles | None:
    """The box (2, 3) around several, None for none."""
    return (
        np.array(
            [np.min([b[0] for b in boxes.values()], axis=0), np.max([b[1] for b in boxes.values()], axis=0)]
        )
        if boxes
        else None
    )


FARTHEST = 1e15
"""A point farther from its origin, in whatever unit, is no place: its square cannot be told in single
precision.
"""


def within_reach(points: npt.NDArray[Any]) -> npt.NDArray[np.bool_]:
    """Whether each of some points (N, 3) is a place: finite, and not beyond :data:`FARTHEST`."""
    with np.errstate(invalid="ignore"):
        return np.asarray((np.abs(points) < FARTHEST).all(axis=1))


def part_bounds(scene: Scene) -> dict[str, Doubles]:
    """World-space box (2, 3) of every part that has points, from the corners of its own box."""
    own = {id: box for id, mesh in scene.meshes.items() if (box := _own_box(mesh)) is not None}
    parts = [part for part in scene.parts() if part.mesh in own]
    if not parts:
        return {}
    world = scene.world_matrices()
    matrices = np.array([world[part.id] for part in parts])
    corners = np.array([own[part.mesh or ""] for part in parts])[:, _CORNERS, range(3)]
    moved = np.einsum("nij,nkj->nki", matrices[:, :3, :3], corners) + matrices[:, None, :3, 3]
    boxes = np.stack([moved.min(axis=1), moved.max(axis=1)], axis=1)
    return {part.id: box for part, box in zip(parts, boxes, strict=True)}


_CORNERS = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)])
"""(8, 3): of a box's low and high places, the one that each corner takes along each axis."""


def _own_box(mesh: Mesh) -> Doubles | None:
    """Box (2, 3) of a mesh in its own space, None without points."""
    clouds = [p.positions for p in mesh.primitives if len(p.positions)]
    if not clouds:
        return None
    low, high = (
        np.min([c.min(axis=0) for c in clouds], axis=0),
        np.max([c.max(axis=0) for c in clouds], axis=0),
    )
    return np.array([low, high], np.float64)


_MOST_SHELLS = 16
"""Domes within domes; whatever has more of them is no sky."""


def shells(scene: Scene, boxes: Mapping[str, Doubles] | None = None) -> frozenset[str]:
    """Parts that enclose all others and are sky: shining by themselves, called so, or round and many times as
    large. Walls of a room are none.
    """
    left = dict(part_bounds(scene) if boxes is None else boxes)
    found: set[str] = set()
    while len(left) > 1 and len(found) < _MOST_SHELLS:
        id = max(left, key=lambda part: float(np.linalg.norm(left[part][1] - left[part][0])))
        rest = union_box({other: box for other, box in left.items() if other != id})
        box = left.pop(id)
        slack = 1e-3 * float(np.linalg.norm(box[1] - box[0]))
        # A dome stands on the ground: what lies below its rim is no reason against it.
        within = rest is not None and bool(
            (box[1] >= rest[1] - slack).all() and (box[0, [0, 2]] <= rest[0, [0, 2]] + slack).all()
        )
        if (
            rest is None
            or not within
            or not _is_sky(
                scene,
                scene.nodes[id],
                float(np.linalg.norm(box[1] - box[0])) / max(float(np.linalg.norm(rest[1] - rest[0])), 1e-12),
            )
        ):
            break
        found.add(id)
    return frozenset(found)


def _is_sky(scene: Scene, part: Node, larger: float) -> bool:
    mesh = scene.meshes[part.mesh or ""]
    words = set("".join(c if c.isalnum() else " " for c in part.name.casefold()).split())
    worn = [scene.materials.get(p.material or "") for p in mesh.primitives if len(p.indices)]
    if words & _SKY or (worn and all(m is not None and (m.unlit or _only_shines(m)) for m in worn)):
        return True
    cloud = np.concatenate([p.positions for p in mesh.primitives if len(p.positions)]).astype(np.float64)
    low, high = cloud.min(axis=0), cloud.max(axis=0)
    # The middle of a ball, or of a half one that stands on its rim.
    for middle in (
        (low + high) / 2,
        np.array([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2]),
        np.array([(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]]),
    ):
        away = np.linalg.norm(cloud - middle, axis=1)
        if larger >= _FAR and len(cloud) > 16 and float(away.std()) < _ROUND * float(away.mean()):
            return True
    return False


def _only_shines(material: Material) -> bool:
    """Whether a material sends light of its own and throws none back."""
    base, emission = material.inputs.get("base_color"), material.inputs.get("emission")
    return (
        base is not None
        and base.texture is None
        and max(base.factor) <= 0.01
        and emission is not None
        and max(emission.factor) > 0
    )
