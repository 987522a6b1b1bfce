"""Ray queries that compiled kernels call.

A scene is passed as two addresses (:class:`trasloco.rays.embree.RayScene`), so that compiled code can be
cached on disk.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic

from trasloco.rays.compiled import device, kernel
from trasloco.rays.embree import NO_ID


@intrinsic  # type: ignore[untyped-decorator,unused-ignore]
def _call(typing_context: Any, function: Any, scene: Any, ray: Any) -> Any:
    """Call a C function ``void f(void* scene, void* ray, void* arguments = NULL)`` by its address."""

    def generate(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        word = ir.IntType(64)
        kind = ir.FunctionType(ir.VoidType(), [word, word, word])
        builder.call(
            builder.inttoptr(arguments[0], kind.as_pointer()),
            [arguments[1], arguments[2], ir.Constant(word, 0)],
        )
        return context.get_dummy_value()

    return types.void(types.int64, types.int64, types.int64), generate


@device
def _set_ray(
    words: Any,
    floats: Any,
    ox: float,
    oy: float,
    oz: float,
    dx: float,
    dy: float,
    dz: float,
    near: float,
    far: float,
) -> None:
    floats[0], floats[1], floats[2], floats[3] = ox, oy, oz, near
    floats[4], floats[5], floats[6], floats[7] = dx, dy, dz, 0.0
    floats[8] = far
    words[9] = NO_ID
    words[10] = np.uint32(0)
    words[11] = np.uint32(0)
    words[17] = NO_ID
    words[18] = NO_ID
    words[19] = NO_ID
    words[20] = NO_ID


@device
def hit_nearest(
    intersect: int,
    scene: int,
    floats: Any,
    words: Any,
    ox: float,
    oy: float,
    oz: float,
    dx: float,
    dy: float,
    dz: float,
    near: float,
    far: float,
) -> int:
    """Number of the nearest triangle in (near, far), or -1.

    Then floats[8] is the distance and floats[15:17] are u and v.
    """
    _set_ray(words, floats, ox, oy, oz, dx, dy, dz, near, far)
    _call(intersect, scene, floats.ctypes.data)
    if words[18] == NO_ID:
        return -1
    return int(words[17])


@kernel
def nearest_batch(
    intersect: int,
    scene: int,
    floats: Any,
    words: Any,
    origins: Any,
    directions: Any,
    triangles: Any,
    distances: Any,
) -> None:
    """Number of the nearest triangle and the distance of each ray."""
    for i in range(origins.shape[0]):
        triangles[i] = hit_nearest(
            intersect,
            scene,
            floats,
            words,
            origins[i, 0],
            origins[i, 1],
            origins[i, 2],
            directions[i, 0],
            directions[i, 1],
            directions[i, 2],
            0.0,
            np.inf,
        )
        distances[i] = floats[8]
