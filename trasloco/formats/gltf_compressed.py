"""Compressed geometry of glTF: KHR_draco_mesh_compression and EXT_/KHR_meshopt_compression, unpacked once for
the whole document.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.formats.decompressing import FILTERS, MODES
from trasloco.formats.gltf_accessors import Accessors
from trasloco.limits import LIMITS, reading_seconds
from trasloco.own_process import run_apart

DRACO = "KHR_draco_mesh_compression"
MESHOPT = ("EXT_meshopt_compression", "KHR_meshopt_compression")
_AGAIN = "Export the file again, or without compression."


def unpack_compressed(access: Accessors) -> None:
    """Fill in the accessors' unpacked views and meshes; nothing happens in a document without compression.

    Raises:
        Refused: compressed data that cannot be decoded, or of an impossible size.
    """
    sent: dict[str, Any] = {}
    for number, view in enumerate(access.document.get("bufferViews", [])):
        packed = next(
            (
                view["extensions"][name]
                for name in MESHOPT
                if isinstance(view, dict) and name in view.get("extensions", {})
            ),
            None,
        )
        if packed is not None:
            sent |= _meshopt(access, number, packed)
    draco: dict[int, None] = {}
    for mesh in access.document.get("meshes", []):
        for primitive in mesh.get("primitives", []):
            if DRACO in primitive.get("extensions", {}):
                draco[int(primitive["extensions"][DRACO]["bufferView"])] = None
    for view in draco:
        sent[f"draco{view}"] = np.frombuffer(access.view_bytes(view)[0], np.uint8)
    if not sent:
        return
    made = run_apart(
        "trasloco.formats.decompressing",
        sent,
        "The compressed geometry cannot be decoded",
        access.where,
        _AGAIN,
        seconds=reading_seconds(sum(value.nbytes for value in sent.values())),
    )
    for key, value in made.items():
        if key.startswith("view"):
            access.unpacked[int(key[4:])] = memoryview(value.astype(np.uint8).tobytes())
        elif key.startswith("faces"):
            access.draco_faces[int(key[5:])] = value
        else:
            view_number, _, unique = key[1:].partition("_")
            access.draco_attributes[int(view_number), int(unique)] = value


def _meshopt(access: Accessors, number: int, packed: dict[str, Any]) -> dict[str, Any]:
    count, stride, mode, filtered = (
        packed.get("count", 0),
        packed.get("byteStride", 0),
        packed.get("mode", ""),
        packed.get("filter", "NONE"),
    )
    fits = (
        isinstance(count, int)
        and isinstance(stride, int)
        and 0 < stride <= 256
        and 0 <= count <= LIMITS.vertices
        and mode in MODES
        and filtered in FILTERS
    )
    if not fits or (mode != "ATTRIBUTES" and stride not in (2, 4)):
        raise Refused(f"Buffer view {number} is compressed in a way that cannot be.", access.where, _AGAIN)
    data = access.slice_of(packed, number)
    return {
        f"meshopt{number}": np.frombuffer(data, np.uint8),
        f"shape{number}": np.array([count, stride, MODES.index(mode), FILTERS.index(filtered)]),
    }
