"""Buffers and images of a glTF file, wherever they lie."""

from __future__ import annotations

import base64
import binascii
import posixpath
from typing import Any
from urllib.parse import unquote, unquote_to_bytes

from trasloco.at_rest import Bytes, own
from trasloco.errors import Refused
from trasloco.formats.bundle import Bundle
from trasloco.formats.gltf_reading import Reading
from trasloco.scene.images import Image, identify, missing_image

EXPORT_AGAIN = "Export the file again."


_MIME = {"image/png": "png", "image/jpeg": "jpg", "image/webp": "webp", "image/ktx2": "ktx2"}


def strings_of(value: Any) -> list[str]:
    return [item for item in value if isinstance(item, str)] if isinstance(value, list) else []


def data_uri(uri: str, where: str) -> bytes:
    """Bytes of a data URI (RFC 2397).

    Raises:
        Refused: broken base64.
    """
    head, _, body = uri.partition(",")
    try:
        return (
            base64.b64decode(unquote(body), validate=True)
            if head.endswith(";base64")
            else unquote_to_bytes(body)
        )
    except (binascii.Error, ValueError):
        raise Refused("An embedded file is damaged.", where, EXPORT_AGAIN) from None


def buffers_of(
    document: dict[str, Any], binary: memoryview, path: str, bundle: Bundle, used: set[str]
) -> list[memoryview]:
    buffers: list[memoryview] = []
    held = document.get("buffers")
    for number, buffer in enumerate(held if isinstance(held, list) else ()):
        uri = buffer.get("uri") if isinstance(buffer, dict) else None
        if not isinstance(uri, str):
            buffers.append(binary)
            continue
        if uri.startswith("data:"):
            buffers.append(memoryview(data_uri(uri, f"{path} · buffer {number}")))
            continue
        found = bundle.find(unquote(uri), path)
        if found is None:
            raise Refused(
                f"The geometry file {uri} is not in the delivery.",
                path,
                f"Deliver {posixpath.basename(uri)} together with it.",
            )
        used.add(found)
        buffers.append(memoryview(bundle.files[found]))
    return buffers


def images_of(reading: Reading) -> tuple[dict[str, Image], list[str]]:
    images: dict[str, Image] = {}
    order: list[str] = []
    for number, source in enumerate(reading.items("images")):
        uri = source.get("uri")
        name = str(
            source.get("name")
            or (
                posixpath.basename(unquote(uri))
                if isinstance(uri, str) and not uri.startswith("data:")
                else f"image-{number}"
            )
        )
        id = reading.ids.make("image", name)
        where = f"{reading.where}/{name}"
        if "bufferView" in source:
            data: Bytes = own(reading.access.view_bytes(source["bufferView"])[0])
        elif isinstance(uri, str) and uri.startswith("data:"):
            data = data_uri(uri, where)
        elif isinstance(uri, str):
            found = reading.bundle.find(unquote(uri), reading.where)
            if found is None:
                images[id] = missing_image(id, posixpath.basename(unquote(uri)), unquote(uri))
                order.append(id)
                continue
            reading.used.add(found)
            data, where = reading.bundle.files[found], found
        else:
            data = b""
        kind = _MIME.get(str(source.get("mimeType", "")), "")
        shown = name if "." in name or not kind else f"{name}.{kind}"
        images[id] = identify(id, shown, where, data)
        order.append(id)
    return images, order
