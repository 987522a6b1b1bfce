"""Every limit on hostile or enormous input, in one place."""

from dataclasses import dataclass

MEBI = 1024 * 1024


@dataclass(frozen=True)
class Limits:
    """Upper bounds; sizes in bytes, image sides in texels.

    An archive unpacks to ``unpack_freely_bytes`` at up to ``unpack_ratio`` times its size (flat masks do),
    and to more at ``unpack_ratio_beyond`` times. ``image_bytes`` is one image decoded: up to
    ``image_freely_bytes`` from however small a file (flat masks), beyond only up to ``image_ratio`` times
    its size. ``unbacked_bytes`` are values that a document asks for without bringing them, ``decoded_bytes``
    all its values together. Files of more than ``held_bytes`` together are worked on from the disk; so is each
    row of more than ``row_bytes`` of what a scene of more than ``drawn_bytes`` is drawn with, and of what all
    its parts are made of. ``apart_bytes`` is what a process that reads may take more than before,
    ``reading_seconds`` how long it may work on one delivery, ``check_seconds`` how long one check may look.
    """

    upload_bytes: int = 2048 * MEBI
    files: int = 10_000
    unpacked_bytes: int = 8192 * MEBI
    unpack_ratio: int = 400
    unpack_freely_bytes: int = 512 * MEBI
    unpack_ratio_beyond: int = 60
    text_bytes: int = 1024 * MEBI
    image_side: int = 16384
    image_texels: int = 16384 * 16384
    image_bytes: int = 1024 * MEBI
    image_freely_bytes: int = 128 * MEBI
    image_ratio: int = 200
    nodes: int = 200_000
    node_depth: int = 256
    vertices: int = 200_000_000
    unbacked_bytes: int = 64 * MEBI
    decoded_bytes: int = 4096 * MEBI
    held_bytes: int = 64 * MEBI
    drawn_bytes: int = 512 * MEBI
    row_bytes: int = 32 * MEBI
    cached_pixels_bytes: int = 384 * MEBI
    apart_bytes: int = 6144 * MEBI
    reading_seconds: int = 900
    check_seconds: float = 300.0


LIMITS = Limits()


def reading_bytes(count: int) -> int:
    """Memory that a decoder may take for so many bytes: enough for honest ones that are packed well, and not
    all there is for few that only claim to be many.
    """
    return min(1536 * MEBI + 64 * count, LIMITS.apart_bytes)


def reading_seconds(count: int) -> float:
    """Seconds of work that a decoder may take for so many bytes: enough for honest ones on a slow machine."""
    return 5 + 2 * count / MEBI
