"""A GLB taken apart: a .gltf with its binary and its images as files of their own, or with everything written
into it (glTF 2.0, sections 3.6.1.1 and 3.9.2).
"""

from __future__ import annotations

import base64
import json
import posixpath
from typing import Any

import numpy as np

from trasloco.at_rest import Bytes, Row, own
from trasloco.formats.glb import unpack_glb
from trasloco.formats.gltf_document import MIME
from trasloco.limits import LIMITS

_ENDINGS = {mime: kind for kind, mime in MIME.items()}


def loose_gltf(glb: Bytes, stem: str, folder: str = "") -> dict[str, Bytes]:
    """``stem.gltf`` and ``stem.bin``, with the images under their names in a folder beside them."""
    document, binary = unpack_glb(glb, stem)
    files: dict[str, Bytes] = {}
    for number, image in enumerate(document.get("images", [])):
        if "bufferView" not in image:
            continue
        data = _bytes(document, binary, image.pop("bufferView"))
        name = _free(str(image.get("name") or f"image-{number}"), _ENDINGS[image["mimeType"]], folder, files)
        files[name], image["uri"] = data, name
    kept = _kept(document, binary)
    if kept:
        files[f"{stem}.bin"] = kept
        document["buffers"] = [{"uri": f"{stem}.bin", "byteLength": len(kept)}]
    else:
        document.pop("buffers", None)
    return {f"{stem}.gltf": _text(document), **files}


def written_in_gltf(glb: Bytes, stem: str) -> dict[str, Bytes]:
    """``stem.gltf`` alone, its binary and its images written into it in base 64."""
    document, binary = unpack_glb(glb, stem)
    for image in document.get("images", []):
        if "bufferView" in image:
            data = _bytes(document, binary, image.pop("bufferView"))
            image["uri"] = f"data:{image.pop('mimeType')};base64,{base64.b64encode(data).decode()}"
    kept = _kept(document, binary)
    if kept:
        told = f"data:application/octet-stream;base64,{base64.b64encode(kept).decode()}"
        document["buffers"] = [{"uri": told, "byteLength": len(kept)}]
    else:
        document.pop("buffers", None)
    return {f"{stem}.gltf": _text(document)}


def _text(document: dict[str, Any]) -> bytes:
    return json.dumps(document, indent=1, allow_nan=False).encode()


def _bytes(document: dict[str, Any], binary: memoryview, view: int) -> Bytes:
    told = document["bufferViews"][view]
    start = told.get("byteOffset", 0)
    return own(binary[start : start + told["byteLength"]])


def _kept(document: dict[str, Any], binary: memoryview) -> Bytes:
    """The binary without the views that nothing reads any more; what reads others is told their new numbers."""
    views = document.get("bufferViews", [])
    readers = [
        *document.get("accessors", []),
        *(
            part
            for a in document.get("accessors", [])
            for part in a.get("sparse", {}).values()
            if isinstance(part, dict)
        ),
    ]
    used = sorted({one["bufferView"] for one in readers if "bufferView" in one})
    number = {old: new for new, old in enumerate(used)}
    kept = Row(np.uint8, (), LIMITS.held_bytes)
    made = []
    for old in used:
        kept.append(np.zeros(-kept.count % 4, np.uint8))
        made.append({**views[old], "byteOffset": kept.count})
        kept.append(np.frombuffer(_bytes(document, binary, old), np.uint8))
    for one in readers:
        if "bufferView" in one:
            one["bufferView"] = number[one["bufferView"]]
    if made:
        document["bufferViews"] = made
    else:
        document.pop("bufferViews", None)
    return kept.as_bytes()


def _free(name: str, ending: str, folder: str, taken: dict[str, Bytes]) -> str:
    """A path for an image that no other has."""
    stem = posixpath.splitext(posixpath.basename(name.replace("\\", "/")))[0] or "image"
    path = posixpath.join(folder, f"{stem}.{ending}")
    number = 2
    while path in taken:
        path = posixpath.join(folder, f"{stem}-{number}.{ending}")
        number += 1
    return path
