"""KTX 2.0 images: facts from the header (Khronos KTX specification 2.0, section 3), texels through a process
of their own.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.own_process import run_apart

PLAIN_CHANNELS = {9: 1, 15: 1, 16: 2, 22: 2, 23: 3, 29: 3, 37: 4, 43: 4}
"""Channels of the plain formats of eight bits a channel, by VkFormat number."""
_HEADER = struct.Struct("<12x9I")


@dataclass(frozen=True)
class Ktx2Facts:
    """Width and height in texels of the largest level, channels, and why it cannot be read (empty when it
    can).
    """

    width: int
    height: int
    channels: int
    problem: str = ""


def ktx2_facts(data: bytes) -> Ktx2Facts:
    """What the header says.

    Compressed formats other than Basis Universal, cube maps and volumes are told apart and not read.
    """
    if len(data) < 80:
        return Ktx2Facts(0, 0, 0, "The file is cut short.")
    vk_format, _, width, height, depth, layers, faces, _, _ = _HEADER.unpack_from(data)
    if not width or not height:
        return Ktx2Facts(width, height, 4, "One-dimensional images are not read.")
    if depth or layers > 1 or faces != 1:
        return Ktx2Facts(
            width, height, 4, "Cube maps, layers and volumes are not read; deliver one flat image."
        )
    if vk_format != 0 and vk_format not in PLAIN_CHANNELS:
        return Ktx2Facts(
            width,
            height,
            4,
            f"Its texel format (number {vk_format}) is not read; deliver it as Basis Universal or PNG.",
        )
    channels = PLAIN_CHANNELS[vk_format] if vk_format else 4
    return Ktx2Facts(width, height, channels)


def ktx2_texels(data: bytes, where: str) -> npt.NDArray[Any]:
    """(H, W, C) uint8 of the largest level.

    Raises:
        Refused: damaged, or of a kind the decoder does not know.
    """
    made = run_apart(
        "trasloco.scene.transcoding",
        {"data": np.frombuffer(data, np.uint8)},
        "The KTX2 image cannot be decoded",
        where,
        "Export it again, or deliver PNG.",
    )
    return made["texels"]


Basis = Literal["uastc", "etc1s"]
_USUAL_QUALITY: dict[Basis, int] = {"uastc": 100, "etc1s": 80}
"""What is taken where nothing is asked. Below 100 UASTC blocks are made alike so that they pack better, which
takes two to seven times as long and looks no better.
"""


def ktx2_file(
    texels: npt.NDArray[Any],
    srgb: bool = False,
    basis: Basis = "uastc",
    quality: int | None = None,
    levels: bool = True,
) -> bytes:
    """(H, W, C) uint8 texels as a KTX 2.0 file, Basis Universal: ``uastc`` with Zstandard, or ``etc1s``.

    ``quality`` is 1 to 100, None for what is usual; ``levels``: with all smaller ones. Codes are kept as they
    are: encoding is the material's to say, as in every other file of a package.

    Raises:
        Refused: the encoder is not installed, or texels are not 8 bits deep.
    """
    try:
        import alktx2
    except ImportError:
        raise Refused(
            "KTX2 images cannot be written here.", "images", "Take PNG, or install the optional encoder."
        ) from None
    if texels.dtype != np.uint8:
        raise Refused("KTX2 images hold 8 bits a channel.", "images", "Ask for 8 bits, or take PNG.")
    height, width, channels = texels.shape
    full = np.full((height, width, 4), 255, np.uint8)
    full[..., : 3 if channels == 1 else channels] = texels
    made: bytes = alktx2.encode_raw_rgba_to_ktx2(
        full.tobytes(),
        width,
        height,
        channels == 4,
        codec=basis,
        quality=_USUAL_QUALITY[basis] if quality is None else quality,
        srgb=srgb,
        linear=not srgb,
        mipmaps=levels,
        zstd_supercompression_level=10 if basis == "uastc" else None,
    )
    return made
