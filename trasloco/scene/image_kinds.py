"""What kind an image file is, by its content."""

from __future__ import annotations

from trasloco.at_rest import Bytes

_SIGNATURES: tuple[tuple[bytes, int, str], ...] = (
    (b"\x89PNG\r\n\x1a\n", 0, "png"),
    (b"\xff\xd8\xff", 0, "jpg"),
    (b"II*\x00", 0, "tif"),
    (b"MM\x00*", 0, "tif"),
    (b"BM", 0, "bmp"),
    (b"WEBP", 8, "webp"),
    (b"\x76\x2f\x31\x01", 0, "exr"),
    (b"#?RADIANCE", 0, "hdr"),
    (b"#?RGBE", 0, "hdr"),
    (b"DDS ", 0, "dds"),
    (b"\xabKTX 20\xbb\r\n\x1a\n", 0, "ktx2"),
)
EXTENSIONS = {
    "png": "png",
    "jpg": "jpg",
    "jpeg": "jpg",
    "tif": "tif",
    "tiff": "tif",
    "bmp": "bmp",
    "webp": "webp",
    "exr": "exr",
    "hdr": "hdr",
    "dds": "dds",
    "ktx2": "ktx2",
    "tga": "tga",
}


def sniff_image(data: Bytes) -> str | None:
    """The file kind by content, or None. TGA has no signature: its header is checked for plausible fields."""
    for signature, at, kind in _SIGNATURES:
        if data[at : at + len(signature)] == signature:
            return kind
    if (
        len(data) > 18
        and data[1] in (0, 1)
        and data[2] in (1, 2, 3, 9, 10, 11)
        and data[16] in (8, 15, 16, 24, 32)
        and int.from_bytes(data[12:14], "little")
        and int.from_bytes(data[14:16], "little")
    ):
        return "tga"
    return None
