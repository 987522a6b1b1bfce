"""Textures as one row of texels, with how each is read; equal ones are stored once."""

from __future__ import annotations

from typing import Any

import numpy as np

from trasloco.at_rest import Row
from trasloco.scene.images import pixels, unit_floats
from trasloco.scene.model import Input, Scene, Texture
from trasloco.scene.relief import normal_from_height
from trasloco.scene.resolve import channel_of, color_of, read_texture

_WRAP = {"repeat": 0, "mirror": 1, "clamp": 2}


def _stored_as_meant(texture: Texture) -> bool:
    """Whether texels are read in a way that the kernels do not know, and stored as what they mean."""
    return bool(texture.space) or texture.floor != 0.0 or (texture.invert and texture.curve != "linear")


class TextureStore:
    """Collects textures; equal ones are stored once. Beyond ``most_bytes`` of a kind they lie on the disk."""

    def __init__(self, scene: Scene, most_bytes: float = float("inf")) -> None:
        self.scene = scene
        self.words: list[list[int]] = []
        self.floats: list[list[float]] = []
        self.stores = Row(np.uint8, (), most_bytes), Row(np.uint16, (), most_bytes)
        self.known: dict[Any, int] = {}
        self.placed: dict[Any, tuple[int, int, int, int, int]] = {}
        self.tops: dict[tuple[str, str], float] = {}

    def top(self, given: Input) -> float:
        """The value that white stands for in an input's stored image: above 1 only for floating ones."""
        image = self.scene.images.get(given.texture.image) if given.texture is not None else None
        return (
            self.tops.get((image.digest, given.texture.channels), 1.0)
            if image is not None and given.texture is not None
            else 1.0
        )

    def add(self, name: str, given: Input) -> int:
        texture = given.texture
        if texture is None:
            return -1
        image = self.scene.images.get(texture.image)
        if image is None or not image.usable:
            return -1
        key = (name == "height", texture, given.factor if name == "height" else None)
        if key in self.known:
            return self.known[key]
        ready = _stored_as_meant(texture)
        place = (image.digest, texture.channels, key if name == "height" or ready else None)
        if place not in self.placed:
            self.placed[place] = self._store(name, given, texture, image)
        start, width, height, channels, deep = self.placed[place]
        wrap_u, wrap_v = (_WRAP[w] for w in texture.wrap)
        cosine, sine = np.cos(texture.rotation_rad), np.sin(texture.rotation_rad)
        # KHR_texture_transform: translation * rotation * scale, with the rotation running counter-clockwise
        # in v-down space.
        su, sv = texture.scale
        self.words.append(
            [
                start,
                width,
                height,
                channels,
                deep,
                int(texture.encoding == "srgb" and not ready and not image.floating),
                wrap_u,
                wrap_v,
                min(texture.uv_set, 1),
                int(texture.invert and not ready),
            ]
        )
        strength = 1.0 if name == "height" else texture.strength
        green = 1.0 if name == "height" or texture.green_up else -1.0
        self.floats.append(
            [
                su * cosine,
                sv * sine,
                texture.offset[0],
                -su * sine * texture.stretch,
                sv * cosine * texture.stretch,
                0.5 + (texture.offset[1] - 0.5) * texture.stretch,
                strength,
                green,
            ]
        )
        self.known[key] = len(self.words) - 1
        return self.known[key]

    def _store(self, name: str, given: Input, texture: Any, image: Any) -> tuple[int, int, int, int, int]:
        texels = pixels(image)
        chosen = (
            color_of(texels) if texture.channels == "rgb" else channel_of(texels, texture.channels)[..., None]
        )
        if name == "height":
            heights = unit_floats(channel_of(texels, "r"))
            normals = normal_from_height(
                1 - heights if texture.invert else heights, texture.strength * given.factor[0]
            )
            chosen = np.round((normals * 0.5 + 0.5) * 65535).astype(np.uint16)
        elif _stored_as_meant(texture):
            chosen = read_texture(texture, texels)
            chosen = chosen if chosen.ndim == 3 else chosen[..., None]
        if chosen.dtype == np.float32:
            # Floating values are light as it is (never sRGB), stored as shares of the brightest.
            self.tops[(image.digest, texture.channels)] = top = max(
                float(np.nan_to_num(chosen, posinf=0.0).max(initial=0.0)), 1.0
            )
            chosen = np.round(np.clip(chosen / top, 0, 1) * 65535).astype(np.uint16)
        deep = int(chosen.dtype == np.uint16)
        start = self.stores[deep].count
        self.stores[deep].append(chosen)
        return start, chosen.shape[1], chosen.shape[0], chosen.shape[2], deep

    def arrays(self) -> tuple[Any, Any, Any, Any]:
        words = np.array(self.words, np.int64).reshape(-1, 10)
        floats = np.array(self.floats, np.float64).reshape(-1, 8)
        for row in self.stores:
            row.append(np.zeros(1, row.kind))
        return words, floats, self.stores[0].whole(), self.stores[1].whole()
