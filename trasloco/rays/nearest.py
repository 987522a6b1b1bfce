"""What many rays hit first: few by calling Embree ray by ray from here, more from compiled code."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import numpy as np
import numpy.typing as npt

from trasloco.rays.embree import NO_ID, RAY_FLOATS, RayScene, aligned, intersect, ray_buffer

FEW = 4096
"""Up to so many rays are traced sooner than compiled code is loaded, or threads are started."""

Hits = tuple[npt.NDArray[np.int32], npt.NDArray[np.float32]]


def nearest(
    scene: RayScene, origins: npt.NDArray[np.float32], directions: npt.NDArray[np.float32], threads: int = 2
) -> Hits:
    """Nearest hits of many rays.

    Args:
        origins, directions: (R, 3) float32; directions need not be unit, distances are in their lengths.

    Returns:
        Triangle numbers (R,), -1 where nothing is hit, and distances (R,), infinite there.
    """
    if len(origins) <= FEW:
        return _one_by_one(scene, origins, directions)
    return _in_threads(scene, origins, directions, threads)


def _one_by_one(
    scene: RayScene, origins: npt.NDArray[np.float32], directions: npt.NDArray[np.float32]
) -> Hits:
    """A row for each ray, as RTCRayHit lies in memory (Embree 4, ``rtcore_ray.h``)."""
    rows = aligned(len(origins) * RAY_FLOATS).reshape(-1, RAY_FLOATS)
    words = rows.view(np.uint32)
    rows[:, 0:3], rows[:, 4:7], rows[:, 8] = origins, directions, np.inf
    words[:, [9, 17, 18, 19, 20]] = NO_ID
    hit, step, first = intersect(), rows.strides[0], rows.ctypes.data
    for ray in range(first, first + len(rows) * step, step):
        hit(scene.handle, ray, None)
    return np.where(words[:, 18] == NO_ID, -1, words[:, 17].astype(np.int32)), rows[:, 8].copy()


def _in_threads(
    scene: RayScene, origins: npt.NDArray[np.float32], directions: npt.NDArray[np.float32], threads: int
) -> Hits:
    from trasloco.rays.kernels import nearest_batch

    triangles, distances = np.empty(len(origins), np.int32), np.empty(len(origins), np.float32)
    starts = np.linspace(0, len(origins), threads + 1).astype(int)

    def run(k: int) -> None:
        floats = ray_buffer()
        part = slice(starts[k], starts[k + 1])
        nearest_batch(
            scene.intersect,
            scene.handle,
            floats,
            floats.view(np.uint32),
            origins[part],
            directions[part],
            triangles[part],
            distances[part],
        )

    with ThreadPoolExecutor(threads) as pool:
        list(pool.map(run, range(threads)))
    return triangles, distances
