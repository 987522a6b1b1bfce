"""The GLB container (glTF 2.0, section 4.4)."""

from __future__ import annotations

import json
import re
import struct
from typing import Any

from trasloco.at_rest import Bytes, held
from trasloco.errors import Refused
from trasloco.formats.legible import whole_text

_AGAIN = "Export it again as glTF 2.0 binary."


def unpack_glb(data: Bytes, where: str) -> tuple[dict[str, Any], memoryview]:
    """The JSON document and the binary chunk (empty when there is none).

    Raises:
        Refused: not a GLB of version 2, cut short, or with broken JSON.
    """
    if data[:4] != b"glTF":
        raise Refused("The file is called .glb but its content is something else.", where, _AGAIN)
    if len(data) < 20:
        raise Refused("The file is cut short.", where, _AGAIN)
    version, length = struct.unpack_from("<II", data, 4)
    if version != 2:
        raise Refused(
            f"This is glTF version {version}; its materials are programs that cannot be carried.",
            where,
            _AGAIN,
        )
    if length > len(data):
        raise Refused(
            f"The file is cut short: it says {length} bytes and has {len(data)}.",
            where,
            "Copy or export it again.",
        )
    document: dict[str, Any] | None = None
    binary = memoryview(b"")
    at = 12
    while at + 8 <= length:
        size, kind = struct.unpack_from("<I4s", data, at)
        if at + 8 + size > length:
            raise Refused("A chunk of the file is longer than the file.", where, _AGAIN)
        chunk = memoryview(data)[at + 8 : at + 8 + size]
        if kind == b"JSON" and document is None:
            document = parse_document(bytes(chunk), where)
        elif kind == b"BIN\0" and not len(binary):
            binary = chunk
        at += 8 + size + (-size % 4)
    if document is None:
        raise Refused("The file has no scene description in it.", where, _AGAIN)
    return document, binary


def parse_document(text: bytes, where: str) -> dict[str, Any]:
    """Parse glTF JSON and check its version.

    Raises:
        Refused: broken JSON, not an object, or not version 2.
    """
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise Refused(f"The scene description cannot be read ({error}).", where, _AGAIN) from None
    if not isinstance(document, dict):
        raise Refused("The scene description is not a glTF document.", where, _AGAIN)
    if re.search(rb"\\[uU][dD][89a-fA-F]", text):
        document = dict(whole_text(document))
    asset = document.get("asset")
    version = str(asset.get("version", "")) if isinstance(asset, dict) else ""
    if not version.startswith("2"):
        reason = (
            " Version 1 described shader programs instead of materials." if version.startswith("1") else ""
        )
        raise Refused(
            f"This is glTF version {version or 'unknown'}; only version 2 is read.{reason}",
            where,
            "Export it again as glTF 2.0.",
        )
    return document


def pack_glb(document: dict[str, Any], binary: Bytes) -> Bytes:
    """One GLB from a document and its binary chunk. Raises Refused: it would be larger than a GLB can be."""
    text = json.dumps(document, separators=(",", ":"), allow_nan=False).encode()
    text += b" " * (-len(text) % 4)
    pieces: list[Bytes] = [struct.pack("<I4s", len(text), b"JSON"), text]
    if binary:
        padding = b"\0" * (-len(binary) % 4)
        pieces += [struct.pack("<I4s", len(binary) + len(padding), b"BIN\0"), binary, padding]
    size = 12 + sum(map(len, pieces))
    if size >= 2**32:
        raise Refused(
            f"The file would have {size >> 20} MB; a GLB ends at 4096.",
            "package",
            "Choose a destination that takes images and binary as files of their own, or smaller images.",
        )
    pieces.insert(0, struct.pack("<4sII", b"glTF", 2, size))
    return held({"glb": pieces}, size)["glb"]
