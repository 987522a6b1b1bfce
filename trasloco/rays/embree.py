"""Embree, reached through the shared library that the ``embreex`` wheel ships.

The wheel's own Python interface holds the interpreter lock for a whole batch. Calling the library's C
functions from
compiled kernels instead lets threads trace side by side and saves the batch arrays. Structures follow Embree
4's ``rtcore_ray.h``.
"""

from __future__ import annotations

import ctypes
import importlib.util
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

_TRIANGLES, _INDEX, _VERTEX, _UINT3, _FLOAT3, _COMPACT, _ROBUST = 0, 0, 1, 0x5003, 0x9003, 2, 4
_OUT_OF_MEMORY = 4
NO_ID = np.uint32(0xFFFFFFFF)
"""What Embree tells where nothing is hit: ``RTC_INVALID_GEOMETRY_ID``."""
RAY_FLOATS = 32
"""Length of one ray buffer in 32-bit words: RTCRayHit is 24, rounded up to a cache line."""


@cache
def _path() -> str:
    import embreex.rtcore  # noqa: F401  (loads the library and what it depends on)

    spec = importlib.util.find_spec("embreex")
    assert spec is not None and spec.origin is not None
    found = sorted((Path(spec.origin).parent.parent / "embreex.libs").glob("libembree4*"))
    if not found:
        raise ImportError("embreex ships no Embree 4 library")
    return str(found[0])


@cache
def intersect() -> Any:
    """What finds the nearest hit of one ray, called from here: it takes a microsecond, and keeps the interpreter
    meanwhile (where two other threads work, 4,096 rays take half as long as if it were let go of for each).
    """
    found = ctypes.PyDLL(_path()).rtcIntersect1
    found.restype, found.argtypes = None, [ctypes.c_void_p] * 3
    return found


@cache
def library() -> Any:
    """The loaded library with its signatures declared.

    Raises:
        ImportError: the wheel does not carry the library where expected.
    """
    lib = ctypes.CDLL(_path())
    pointer, size, unsigned = ctypes.c_void_p, ctypes.c_size_t, ctypes.c_uint
    signatures: dict[str, tuple[Any, list[Any]]] = {
        "rtcNewDevice": (pointer, [ctypes.c_char_p]),
        "rtcGetDeviceError": (ctypes.c_int, [pointer]),
        "rtcNewScene": (pointer, [pointer]),
        "rtcReleaseScene": (None, [pointer]),
        "rtcSetSceneFlags": (None, [pointer, ctypes.c_int]),
        "rtcCommitScene": (None, [pointer]),
        "rtcNewGeometry": (pointer, [pointer, ctypes.c_int]),
        "rtcReleaseGeometry": (None, [pointer]),
        "rtcCommitGeometry": (None, [pointer]),
        "rtcAttachGeometry": (unsigned, [pointer, pointer]),
        "rtcSetSharedGeometryBuffer": (
            None,
            [pointer, ctypes.c_int, unsigned, ctypes.c_int, pointer, size, size, size],
        ),
    }
    for name, (result, arguments) in signatures.items():
        function = getattr(lib, name)
        function.restype, function.argtypes = result, arguments
    return lib


class RayScene:
    """Triangles ready to be hit.

    Args:
        positions: (N, 3) float32. indices: (M, 3) uint32, all below N.
        compact: take less memory and trace somewhat slower.

    Attributes:
        positions: what was given, as Embree reads it. handle: address of the Embree scene. intersect: address
            of the function that finds the nearest hit, for kernels.

    Raises:
        MemoryError: Embree found too little memory. (What it could not build would be hit by nothing.)
    """

    def __init__(
        self, positions: npt.NDArray[np.float32], indices: npt.NDArray[np.uint32], compact: bool = False
    ) -> None:
        lib = library()
        held = _with_one_behind(positions)
        self.positions = held[: len(positions)]
        self._indices = np.ascontiguousarray(indices, np.uint32)
        device = _device()
        self.handle = _made(lib.rtcNewScene(device), lib, device)
        lib.rtcSetSceneFlags(self.handle, _ROBUST | (_COMPACT if compact else 0))
        if len(self._indices):
            geometry = _made(lib.rtcNewGeometry(device, _TRIANGLES), lib, device)
            lib.rtcSetSharedGeometryBuffer(
                geometry, _VERTEX, 0, _FLOAT3, held.ctypes.data, 0, 12, len(self.positions)
            )
            lib.rtcSetSharedGeometryBuffer(
                geometry, _INDEX, 0, _UINT3, self._indices.ctypes.data, 0, 12, len(self._indices)
            )
            lib.rtcCommitGeometry(geometry)
            lib.rtcAttachGeometry(self.handle, geometry)
            lib.rtcReleaseGeometry(geometry)
        lib.rtcCommitScene(self.handle)
        _made(self.handle, lib, device)
        self.intersect: int = ctypes.cast(lib.rtcIntersect1, ctypes.c_void_p).value or 0

    def __del__(self) -> None:
        if getattr(self, "handle", 0):
            library().rtcReleaseScene(self.handle)
            self.handle = 0


@cache
def _device() -> int:
    """Kept for good: one that is released after memory ran out waits for ever."""
    lib = library()
    return _made(lib.rtcNewDevice(b"threads=2"), lib, None)


def _made(address: int | None, lib: Any, device: int | None) -> int:
    """What Embree has made, where it found nothing wrong since it was last asked; raises what it did else."""
    error = lib.rtcGetDeviceError(device)
    if error == _OUT_OF_MEMORY:
        raise MemoryError("too little memory for the tree of triangles")
    if error or not address:
        raise RuntimeError(f"Embree reports error {error}")
    return address


def _with_one_behind(positions: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    """Embree reads 16 bytes at a time, so the last point needs one more row behind it: it may be there."""
    behind = positions.base
    if (
        isinstance(behind, np.ndarray)
        and behind.dtype == positions.dtype == np.float32
        and behind.flags.c_contiguous
        and positions.flags.c_contiguous
        and behind.ctypes.data == positions.ctypes.data
        and behind.nbytes >= positions.nbytes + 12
    ):
        return positions
    return np.concatenate([np.ascontiguousarray(positions, np.float32), np.zeros((1, 3), np.float32)])


def ray_buffer() -> npt.NDArray[np.float32]:
    """Room for one ray; each thread needs its own."""
    return aligned(RAY_FLOATS)


def aligned(floats: int) -> npt.NDArray[np.float32]:
    """Zeros (floats,) that begin where Embree asks rays to begin."""
    raw = np.zeros(floats + 16, np.float32)
    start = (-raw.ctypes.data % 64) // 4
    return raw[start : start + floats]
