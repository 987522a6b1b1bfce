"""A glTF document while it is written: its one buffer, with views, accessors and images in it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.at_rest import Bytes, Row
from trasloco.errors import Refused
from trasloco.formats.gltf_materials import WRAP_CODES
from trasloco.limits import LIMITS
from trasloco.scene.images import Image
from trasloco.scene.model import Scene, Texture


@dataclass(frozen=True)
class GlbOptions:
    """What to put in.

    Attributes:
        materials: full materials, or slots with names only. images: embed image files. ids: write our ids
            into ``extras``.
        motion: skins, morph targets and clips. material_extras: per material id, what its ``extras`` holds.
            more_images: embedded without a material that reads them. tangents, clouds: write them.
    """

    materials: bool = True
    images: bool = True
    ids: bool = False
    motion: bool = True
    lights: bool = True
    cameras: bool = True
    tangents: bool = True
    clouds: bool = True
    material_extras: Mapping[str, Any] = field(default_factory=dict)
    more_images: tuple[str, ...] = ()


class Document:
    def __init__(self, scene: Scene, options: GlbOptions) -> None:
        self.scene, self.options = scene, options
        self.binary = Row(np.uint8, (), LIMITS.held_bytes)
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []
        self.images: list[dict[str, Any]] = []
        self.samplers: list[dict[str, Any]] = []
        self.textures: list[dict[str, Any]] = []
        self.image_of: dict[str, int] = {}
        self.extensions: set[str] = set()
        self.shared: dict[int, tuple[Any, int]] = {}

    def view(self, data: Bytes, target: int | None = None) -> int:
        self.binary.append(np.zeros(-self.binary.count % 4, np.uint8))
        entry: dict[str, Any] = {"buffer": 0, "byteOffset": self.binary.count, "byteLength": len(data)}
        if target:
            entry["target"] = target
        self.binary.append(np.frombuffer(data, np.uint8))
        self.views.append(entry)
        return len(self.views) - 1

    def accessor(self, values: npt.NDArray[Any], target: int | None = None, bounded: bool = False) -> int:
        known = self.shared.get(id(values))
        if known is not None and known[0] is values:
            return known[1]
        kept = values
        flat = np.ascontiguousarray(values if values.ndim > 1 else values[:, None])
        entry: dict[str, Any] = {
            "bufferView": self.view(flat.data.cast("B"), target),
            "componentType": NUMBERS[flat.dtype],
            "count": len(flat),
            "type": SHAPES[flat.shape[1]],
        }
        if bounded:
            entry["min"], entry["max"] = (
                [float(x) for x in flat.min(axis=0)],
                [float(x) for x in flat.max(axis=0)],
            )
        self.accessors.append(entry)
        self.shared[id(values)] = (kept, len(self.accessors) - 1)
        return len(self.accessors) - 1

    def texture_info(self, texture: Texture, extra: dict[str, Any]) -> dict[str, Any] | None:
        image = self.scene.images.get(texture.image)
        if image is None or not image.usable or not self.options.images:
            return None
        if texture.image not in self.image_of:
            self.image_of[texture.image] = self.image(image)
        sampler = {
            "magFilter": 9729,
            "minFilter": 9987,
            "wrapS": WRAP_CODES[texture.wrap[0]],
            "wrapT": WRAP_CODES[texture.wrap[1]],
        }
        if sampler not in self.samplers:
            self.samplers.append(sampler)
        entry: dict[str, Any] = {"sampler": self.samplers.index(sampler)}
        if image.kind == "ktx2":
            entry["extensions"] = {"KHR_texture_basisu": {"source": self.image_of[texture.image]}}
            self.extensions.add("KHR_texture_basisu")
        else:
            entry["source"] = self.image_of[texture.image]
        if entry not in self.textures:
            self.textures.append(entry)
        info: dict[str, Any] = {"index": self.textures.index(entry), **extra}
        if texture.uv_set:
            info["texCoord"] = texture.uv_set
        if texture.offset != (0.0, 0.0) or texture.rotation_rad or texture.scale != (1.0, 1.0):
            info["extensions"] = {
                "KHR_texture_transform": {
                    "offset": list(texture.offset),
                    "rotation": texture.rotation_rad,
                    "scale": list(texture.scale),
                }
            }
            self.extensions.add("KHR_texture_transform")
        return info

    def image(self, image: Image) -> int:
        mime = MIME.get(image.kind)
        if mime is None:
            raise Refused(
                f"glTF embeds PNG, JPEG and KTX2 only, not {image.kind}.",
                image.name,
                "Let the plan convert it to PNG.",
            )
        self.images.append({"name": image.name, "mimeType": mime, "bufferView": self.view(image.data)})
        return len(self.images) - 1


MIME = {"png": "image/png", "jpg": "image/jpeg", "ktx2": "image/ktx2"}


NUMBERS = {
    np.dtype(np.float32): 5126,
    np.dtype(np.uint32): 5125,
    np.dtype(np.uint16): 5123,
    np.dtype(np.uint8): 5121,
}


SHAPES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4", 16: "MAT4"}
