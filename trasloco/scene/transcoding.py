"""The program behind :mod:`trasloco.scene.ktx2`."""

from __future__ import annotations

import struct
import zlib

import numpy as np

from trasloco.own_process import Arrays, serve
from trasloco.scene.ktx2 import PLAIN_CHANNELS


def texels(given: Arrays) -> Arrays:
    data = given["data"].tobytes()
    vk_format, _, width, height, _, _, _, _, scheme = struct.unpack_from("<12x9I", data)
    if vk_format == 0:
        import opengl_basisu

        return {"texels": opengl_basisu.open(data).transcode("rgba8", level=0).data}
    offset, length, unpacked = struct.unpack_from("<3Q", data, 80)
    level = data[offset : offset + length]
    if len(level) != length:
        raise ValueError("the file is cut short")
    channels = PLAIN_CHANNELS[vk_format]
    size = width * height * channels
    if unpacked > size * 2:
        raise ValueError("the level is larger than its texels")
    if scheme == 3:
        level = zlib.decompress(level)
    elif scheme == 2:
        import zstandard

        level = zstandard.ZstdDecompressor().decompress(level, max_output_size=size)
    elif scheme != 0:
        raise ValueError(f"supercompression {scheme} is not known")
    return {"texels": np.frombuffer(level[:size], np.uint8).reshape(height, width, channels)}


if __name__ == "__main__":
    serve(texels)
