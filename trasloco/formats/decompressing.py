"""The program behind :mod:`trasloco.formats.gltf_compressed`: Draco meshes and meshopt buffer views."""

from __future__ import annotations

from typing import Any

import numpy as np

from trasloco.own_process import Arrays, serve

MODES, FILTERS = ("ATTRIBUTES", "TRIANGLES", "INDICES"), ("NONE", "OCTAHEDRAL", "QUATERNION", "EXPONENTIAL")


def decompressed(given: Arrays) -> Arrays:
    """``draco{k}`` bytes give ``faces{k}`` and ``a{k}_{unique id}``; ``meshopt{k}`` bytes with ``shape{k}``
    (count, stride, mode, filter) give ``view{k}``.
    """
    made: dict[str, Any] = {}
    for key in given:
        if key.startswith("draco"):
            import DracoPy

            mesh = DracoPy.decode(given[key].tobytes())
            number = key[5:]
            made[f"faces{number}"] = np.asarray(getattr(mesh, "faces", np.zeros((0, 3))), np.uint32)
            for attribute in mesh.attributes:
                made[f"a{number}_{attribute['unique_id']}"] = np.asarray(attribute["data"])
        elif key.startswith("meshopt"):
            number = key[7:]
            made[f"view{number}"] = _view(given[key].tobytes(), *(int(v) for v in given[f"shape{number}"]))
    return made


def _view(data: bytes, count: int, stride: int, mode: int, filtered: int) -> Any:
    import meshoptimizer

    if MODES[mode] != "ATTRIBUTES":
        decode = (
            meshoptimizer.decode_index_buffer
            if MODES[mode] == "TRIANGLES"
            else meshoptimizer.decode_index_sequence
        )
        return (
            np.ascontiguousarray(decode(count, 4, data), np.uint32)
            .astype(np.uint16 if stride == 2 else np.uint32)
            .view(np.uint8)
        )
    decoded = meshoptimizer.decode_vertex_buffer(count, stride, data, dtype=np.dtype((np.void, stride)))
    raw = np.ascontiguousarray(decoded).view(np.uint8)
    turn = {
        "OCTAHEDRAL": meshoptimizer.decode_filter_oct,
        "QUATERNION": meshoptimizer.decode_filter_quat,
        "EXPONENTIAL": meshoptimizer.decode_filter_exp,
    }.get(FILTERS[filtered])
    return raw if turn is None else turn(raw, count, stride)


if __name__ == "__main__":
    serve(decompressed)
