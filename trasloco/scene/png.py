"""PNG files (ISO/IEC 15948) of whole numbers, written fast: rows filtered by a kernel, then deflated.

What every file repeats is small; what artists wait for is the deflating of large ones, which libdeflate does
several times faster than zlib.
"""

from __future__ import annotations

import struct
import zlib
from typing import Any

import deflate
import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit

_COLOR_TYPES = {1: 0, 2: 4, 3: 2, 4: 6}
"""By channels: grey, grey and alpha, colour, colour and alpha."""
MOST_CHANNELS = max(_COLOR_TYPES)
_SMOOTH = 2.0
"""Mean size of a filtered byte below which an image is so smooth that a better level pays."""
_LEVEL, _LEVEL_SMOOTH = 1, 3


def png_file(texels: npt.NDArray[Any], srgb: bool = False) -> bytes:
    """A PNG file of (H, W, C) uint8 or uint16 texels of 1 to 4 channels, codes as they are.

    ``srgb`` is written down; alpha is not premultiplied. The same texels make the same bytes.
    """
    height, width, channels = texels.shape
    deep = texels.dtype == np.uint16
    stored = np.ascontiguousarray(texels.astype(">u2") if deep else texels)
    rows = stored.view(np.uint8).reshape(height, -1)
    rows.setflags(write=False)  # one kind of array, one kernel
    filtered = np.empty((height, rows.shape[1] + 1), np.uint8)
    size = filter_rows(rows, channels * stored.dtype.itemsize, filtered)
    level = _LEVEL_SMOOTH if size < _SMOOTH * max(rows.size, 1) else _LEVEL
    header = struct.pack(">IIBBBBB", width, height, 16 if deep else 8, _COLOR_TYPES[channels], 0, 0, 0)
    return b"".join(
        [
            b"\x89PNG\r\n\x1a\n",
            _chunk(b"IHDR", header),
            _chunk(b"sRGB", b"\0") if srgb else b"",
            _chunk(b"IDAT", bytes(deflate.zlib_compress(filtered, level))),
            _chunk(b"IEND", b""),
        ]
    )


def _chunk(kind: bytes, data: bytes) -> bytes:
    return b"".join(
        [struct.pack(">I", len(data)), kind, data, struct.pack(">I", zlib.crc32(data, zlib.crc32(kind)))]
    )


@njit(nogil=True)
def filter_rows(rows: Any, step: int, out: Any) -> int:
    """Write each row of bytes (H, B) with the filter that leaves the smallest sum of sizes, its number before
    it, to ``out`` (H, B + 1); the sum over all rows.

    ``step`` is how many bytes a pixel has. Filters as in ISO/IEC 15948, clause 9; sizes are of bytes taken as
    signed, the choice that its clause 12.8 recommends.
    """
    height, width = rows.shape
    tried = np.empty((5, width), np.uint8)
    line, above = np.zeros(width + step, np.uint8), np.zeros(width + step, np.uint8)
    whole = 0
    for y in range(height):
        line[step:] = rows[y]
        best, least = 0, -1
        for kind in range(5):
            size = _filtered(line, above, step, kind, tried[kind])
            if least < 0 or size < least:
                best, least = kind, size
        whole += least
        out[y, 0] = best
        out[y, 1:] = tried[best]
        line, above = above, line
    return whole


@njit(nogil=True)
def _filtered(line: Any, above: Any, step: int, kind: int, out: Any) -> int:
    """A line by one filter, and the sum of its bytes' sizes; both lines begin ``step`` bytes before it.

    A loop for each filter: so the compiler makes vectors of them.
    """
    here, up = line[step:], above[step:]
    size = 0
    if kind == 0:
        for i in range(len(out)):
            out[i] = here[i]
            size += _size(here[i])
    elif kind == 1:
        for i in range(len(out)):
            value = np.uint8(here[i] - line[i])
            out[i] = value
            size += _size(value)
    elif kind == 2:
        for i in range(len(out)):
            value = np.uint8(here[i] - up[i])
            out[i] = value
            size += _size(value)
    elif kind == 3:
        for i in range(len(out)):
            value = np.uint8(here[i] - ((np.int32(line[i]) + np.int32(up[i])) >> 1))
            out[i] = value
            size += _size(value)
    else:
        for i in range(len(out)):
            left, over, corner = np.int32(line[i]), np.int32(up[i]), np.int32(above[i])
            across, down, both = abs(over - corner), abs(left - corner), abs(left + over - 2 * corner)
            nearest = left if across <= down and across <= both else (over if down <= both else corner)
            value = np.uint8(here[i] - nearest)
            out[i] = value
            size += _size(value)
    return size


@njit(nogil=True, inline="always")
def _size(value: Any) -> Any:
    """How far a byte is from nothing, taken as signed."""
    return np.int32(value) if value < 128 else np.int32(256) - np.int32(value)
