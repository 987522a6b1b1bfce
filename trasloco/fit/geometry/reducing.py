"""Fewer triangles: edges collapsed by quadric error (Garland and Heckbert 1997, as meshoptimizer does it),
onto vertices that were there.
"""

from __future__ import annotations

import ctypes
import math
from dataclasses import replace

import meshoptimizer
import numpy as np
import numpy.typing as npt
from meshoptimizer._loader import lib

from trasloco.mends.faces import with_normals
from trasloco.mends.own_meshes import gathered
from trasloco.scene.geometry import taken
from trasloco.scene.model import Primitive
from trasloco.scene.welding import same_points

HARD_RAD = math.radians(40)
_ANY_ERROR = 1e9
# The binding states no types for this one function.
_FLOATS, _COUNTS = ctypes.POINTER(ctypes.c_float), ctypes.POINTER(ctypes.c_uint)
lib.meshopt_simplifyWithAttributes.argtypes = [
    _COUNTS,
    _COUNTS,
    ctypes.c_size_t,
    _FLOATS,
    ctypes.c_size_t,
    ctypes.c_size_t,
    _FLOATS,
    ctypes.c_size_t,
    _FLOATS,
    ctypes.c_size_t,
    ctypes.POINTER(ctypes.c_ubyte),
    ctypes.c_size_t,
    ctypes.c_float,
    ctypes.c_uint,
    _FLOATS,
]
lib.meshopt_simplifyWithAttributes.restype = ctypes.c_size_t
_NORMAL_WEIGHT, _UV_WEIGHT, _COLOR_WEIGHT = 0.5, 1.0, 0.5


def reduced(primitive: Primitive, budget: int) -> tuple[Primitive, bool]:
    """At most ``budget`` triangles where the borders allow it, and whether its normals had to be made anew.

    Borders of the primitive stay where they are, since another slot may lie beyond them. Along UV seams both
    sides are kept together. All
    remaining vertices are old ones with their old UVs, colours, weights and morphs. Where hard edges
    everywhere leave nothing to collapse,
    they are given up and made again by angle.
    """
    if len(primitive.indices) <= budget:
        return primitive, False
    first = gathered(primitive, _collapsed(primitive, budget))
    if len(first.indices) <= budget * 1.02 or primitive.normals is None:
        return first, False
    soft = _without_hard_edges(primitive)
    second = gathered(soft, _collapsed(soft, budget))
    if len(second.indices) >= len(first.indices) or primitive.morphs:
        return first, False
    return with_normals(second, HARD_RAD), True


def _collapsed(primitive: Primitive, budget: int) -> npt.NDArray[np.uint32]:
    positions = np.ascontiguousarray(primitive.positions, np.float32)
    flat = np.ascontiguousarray(primitive.indices.reshape(-1), np.uint32)
    out = np.zeros(len(flat), np.uint32)
    held: list[npt.NDArray[np.float32]] = []
    weights: list[float] = []
    for values, weight in (
        (primitive.normals, _NORMAL_WEIGHT),
        (primitive.uvs[0] if primitive.uvs else None, _UV_WEIGHT),
        (primitive.colors, _COLOR_WEIGHT),
    ):
        if values is not None:
            held.append(values.astype(np.float32))
            weights += [weight] * values.shape[1]
    wanted, options = max(budget, 1) * 3, meshoptimizer.SIMPLIFY_LOCK_BORDER
    if held:
        attributes = np.ascontiguousarray(np.concatenate(held, axis=1), np.float32)
        count = meshoptimizer.simplify_with_attributes(
            out,
            flat,
            positions,
            attributes,
            np.array(weights, np.float32),
            target_index_count=wanted,
            target_error=_ANY_ERROR,
            options=options,
        )
    else:
        count = meshoptimizer.simplify(
            out, flat, positions, target_index_count=wanted, target_error=_ANY_ERROR, options=options
        )
    return out[:count].reshape(-1, 3)


def _without_hard_edges(primitive: Primitive) -> Primitive:
    """Vertices that differ in their normal alone made one; UV seams stay."""
    point, _ = same_points(primitive.positions)
    keys = [point.astype(np.float64)[:, None], *(uv.astype(np.float64) for uv in primitive.uvs)]
    if primitive.colors is not None:
        keys.append(primitive.colors.astype(np.float64))
    _, first, inverse = np.unique(
        np.concatenate(keys, axis=1), axis=0, return_index=True, return_inverse=True
    )
    indices = inverse.reshape(-1)[primitive.indices].astype(np.uint32)
    return replace(taken(primitive, first, indices), normals=None, tangents=None)
