"""DDS images in blocks of 4 × 4 texels: BC7, or the smaller BC1 and BC3, for colours and several channels,
BC4 for one channel and BC5 for two (Direct3D 11, functional specification, section 19.5), with all smaller
levels where they are asked for, and the extended header that names the format.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from typing import Literal

import etcpak
import numpy as np
import numpy.typing as npt

from trasloco.scene.color import linear_to_srgb, srgb_to_linear

BC1_UNORM, BC1_UNORM_SRGB, BC3_UNORM, BC3_UNORM_SRGB = 71, 72, 77, 78
BC4_UNORM, BC5_UNORM, BC7_UNORM, BC7_UNORM_SRGB = 80, 83, 98, 99
"""DXGI_FORMAT numbers."""
HEADER_BYTES = 148
"""``DDS ``, 124 bytes of DDS_HEADER, 20 of DDS_HEADER_DXT10."""
_CAPS_TEXTURE, _CAPS_COMPLEX, _CAPS_MIPMAP = 0x1000, 0x8, 0x400000
_SAID = 0x1 | 0x2 | 0x4 | 0x1000 | 0x20000 | 0x80000
"""Caps, height, width, pixel format, number of levels and bytes of the first are all told."""
_FOUR_CC, _TEXTURE_2D = 0x4, 3
Codes = npt.NDArray[np.uint8]


Blocks = Literal["finest", "smallest"]


def dds_file(texels: Codes, srgb: bool, how: Blocks = "finest", with_levels: bool = True) -> bytes:
    """A file of (H, W, C) uint8 texels, C from 1 to 4; one channel as BC4, two as BC5, others as BC7, opaque
    where there is no fourth; where the ``smallest`` are asked for, three as BC1, half as large, and four as
    BC3. Where ``srgb``, colours are averaged in linear light for the smaller levels, and the file says so.

    Codes are kept nearly: each block of 4 × 4 texels is a few colours between two others.
    """
    levels = [texels]
    while with_levels and max(levels[-1].shape[:2]) > 1:
        levels.append(_halved(levels[-1], srgb))
    height, width, channels = texels.shape
    plain, encoded, compress = _format(channels, how)
    blocks = [_blocks(level, compress) for level in levels]
    number = encoded if srgb else plain
    header = struct.pack(
        "<4s7I44x2I4s20x4I4x5I",
        b"DDS ",
        124,
        _SAID,
        height,
        width,
        len(blocks[0]),
        0,
        len(levels),
        32,
        _FOUR_CC,
        b"DX10",
        _CAPS_TEXTURE | _CAPS_COMPLEX | _CAPS_MIPMAP,
        0,
        0,
        0,
        number,
        _TEXTURE_2D,
        0,
        1,
        0,
    )
    return header + b"".join(blocks)


def _format(channels: int, how: Blocks) -> tuple[int, int, Callable[[bytes, int, int], bytes]]:
    """The format's number, that of its sRGB form, and what compresses (H, W, 4) codes to it."""
    if channels == 1:
        return BC4_UNORM, BC4_UNORM, etcpak.compress_bc4
    if channels == 2:
        return BC5_UNORM, BC5_UNORM, etcpak.compress_bc5
    if how == "smallest":
        three = channels == 3
        return (
            (BC1_UNORM, BC1_UNORM_SRGB, etcpak.compress_bc1)
            if three
            else (BC3_UNORM, BC3_UNORM_SRGB, etcpak.compress_bc3)
        )
    return BC7_UNORM, BC7_UNORM_SRGB, lambda data, w, h: etcpak.compress_bc7(data, w, h, None)


def _blocks(texels: Codes, compress: Callable[[bytes, int, int], bytes]) -> bytes:
    """Blocks of one level, row by row; its last row and column go on where it ends within a block."""
    height, width, channels = texels.shape
    wider = np.pad(texels, ((0, -height % 4), (0, -width % 4), (0, 0)), "edge")
    four = np.full((*wider.shape[:2], 4), 255, np.uint8)
    if channels == 1:
        four[..., :3] = wider
    else:
        four[..., : 3 if channels == 3 else channels] = wider
    if channels == 2:
        four[..., 2] = 0
    data, w, h = np.ascontiguousarray(four).tobytes(), four.shape[1], four.shape[0]
    return compress(data, w, h)


def _halved(texels: Codes, srgb: bool) -> Codes:
    """Half as large: means of two by two texels, of what there is at an odd edge."""
    height, width, channels = texels.shape
    values = texels.astype(np.float32) / 255
    colors = 3 if srgb and channels >= 3 else 0
    values[..., :colors] = srgb_to_linear(values[..., :colors])
    rows, columns = max(height // 2, 1), max(width // 2, 1)
    if height > 1:
        values = values[: 2 * rows].reshape(rows, 2, width, channels).mean(axis=1)
    if width > 1:
        values = values[:, : 2 * columns].reshape(rows, columns, 2, channels).mean(axis=2)
    values[..., :colors] = linear_to_srgb(values[..., :colors])
    return np.round(np.clip(values, 0, 1) * 255).astype(np.uint8)
