"""Every limit on hostile or enormous input, in one place."""

from dataclasses import dataclass

MEBI = 1024 * 1024


@dataclass(frozen=True)
class Limits:
    """Upper bounds; sizes in bytes, image sides in texels."""

    upload_bytes: int = 2048 * MEBI
    files: int = 10_000
    unpacked_bytes: int = 8192 * MEBI
    unpack_ratio: int = 400
    text_bytes: int = 1024 * MEBI
    image_side: int = 16384
    image_texels: int = 16384 * 16384
    nodes: int = 200_000
    node_depth: int = 256
    vertices: int = 200_000_000
    cached_pixels_bytes: int = 384 * MEBI
    apart_bytes: int = 6144 * MEBI


LIMITS = Limits()
