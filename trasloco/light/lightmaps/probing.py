"""Light probes for parts that move: illuminance by direction at the places they pass, by the same paths as
lightmaps.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.light.lightmaps.points import in_a_row, light_at_points
from trasloco.render.arrays import FlatScene
from trasloco.render.flatten import flatten
from trasloco.render.posing import posed
from trasloco.scene.harmonics import fitted, spread_normals
from trasloco.scene.lit import Probe
from trasloco.scene.model import Scene
from trasloco.scene.probes import middle_of

NORMALS = 48
MOMENTS = 6
"""Places along each clip."""
_SIDE = 1e-3
_MOST = 256


def places_of(scene: Scene, parts: Sequence[str]) -> npt.NDArray[np.float64]:
    """Middles (N, 3) of the parts as they stand and along every clip, those closer than a hundredth of the
    way that they all take counted once.
    """
    poses = [
        scene,
        *(
            posed(scene, clip.id, float(t))
            for clip in scene.clips.values()
            for t in np.linspace(
                0, max((ch.times_s[-1] for ch in clip.channels if len(ch.times_s)), default=0.0), MOMENTS
            )
        ),
    ]
    found = np.array(
        [
            middle_of(pose, pose.nodes[part], world[part])
            for pose in poses
            for world in [pose.world_matrices()]
            for part in parts
            if part in pose.nodes
        ],
        np.float64,
    ).reshape(-1, 3)
    if not len(found):
        return found
    step = max(float(np.ptp(found, axis=0).max()) / 100, 0.01)
    _, first = np.unique(np.round(found / step).astype(np.int64), axis=0, return_index=True)
    return found[np.sort(first)][:_MOST]


def _with_facets(
    flat: FlatScene, places: npt.NDArray[np.float64], normals: npt.NDArray[np.float64]
) -> tuple[FlatScene, npt.NDArray[np.int64]]:
    """The flat scene with a small triangle for each normal at each place, which paths can start from and no
    ray meets; and their numbers.
    """
    a = flat.arrays
    helper = np.where(np.abs(normals[:, :1]) < 0.9, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]])
    t = np.cross(helper, normals)
    t /= np.linalg.norm(t, axis=1, keepdims=True)
    b = np.cross(normals, t)
    # Counter-clockwise about the normal, its middle at the place.
    shape = _SIDE * np.stack([-t - b, t - b, 2 * b], axis=1)
    corners = (places[:, None, None] + shape[None]).reshape(-1, 3)
    count = len(places) * len(normals)
    start, first = len(a.positions), len(a.triangles)
    facing = np.tile(np.repeat(normals, 3, axis=0), (len(places), 1))

    def more(values: Any, added: Any) -> Any:
        return np.ascontiguousarray(
            np.concatenate(
                [values, np.broadcast_to(np.asarray(added, values.dtype), (len(added), *values.shape[1:]))]
            )
        )

    blank2 = np.zeros((3 * count, 2))
    arrays = a._replace(
        positions=more(a.positions, corners),
        normals=more(a.normals, facing),
        tangents=more(a.tangents, np.zeros((3 * count, 4))),
        colors=more(a.colors, np.ones((3 * count, 4))),
        uv0=more(a.uv0, blank2),
        uv1=more(a.uv1, blank2),
        uv2=more(a.uv2, blank2),
        triangles=more(a.triangles, np.arange(start, start + 3 * count).reshape(-1, 3)),
        triangle_material=more(a.triangle_material, np.zeros(count)),
        triangle_part=more(a.triangle_part, np.zeros(count)),
        triangle_layer=more(a.triangle_layer, np.zeros(count)),
        glow_density=more(a.glow_density, np.zeros(count)),
    )
    return replace(flat, arrays=arrays), np.arange(first, first + count)


def probes_at(scene: Scene, places: npt.NDArray[np.float64], samples: int, bounces: int) -> tuple[Probe, ...]:
    """Light at places (N, 3) of a scene, fitted to what ``NORMALS`` directions receive there."""
    if not len(places):
        return ()
    normals = spread_normals(NORMALS)
    flat, triangles = _with_facets(flatten(scene, "straight"), places, normals)
    third = np.full(len(triangles), 1 / 3)
    lux = in_a_row(
        light_at_points(flat, triangles, third, third, samples, bounces), len(triangles)
    ).lux.reshape(len(places), NORMALS, 3)
    return tuple(
        Probe(
            tuple(float(v) for v in place),  # type: ignore[arg-type]
            tuple(tuple(float(v) for v in row) for row in fitted(normals, light.astype(np.float64))),  # type: ignore[misc]
        )
        for place, light in zip(places, lux, strict=True)
    )  # type: ignore[arg-type,misc]


def without_parts(scene: Scene, parts: Sequence[str]) -> Scene:
    """The scene as it lights what moves through it: without that."""
    gone = set(parts)
    return replace(
        scene,
        nodes={id: replace(node, mesh=None) if id in gone else node for id, node in scene.nodes.items()},
    )
