"""Textures as values of decisions: an image, its channels, and how it lies on the surface, as plain JSON."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, fields
from typing import Any

from trasloco.errors import Refused
from trasloco.scene.model import Scene, Texture
from trasloco.scene.spaces import SPACES

_PAIRS = ("offset", "scale", "wrap")
_WRAPS = ("repeat", "mirror", "clamp")


def texture_value(texture: Texture) -> dict[str, Any]:
    """A texture as plain JSON values."""
    return {k: list(v) if isinstance(v, tuple) else v for k, v in asdict(texture).items()}


def is_texture_value(value: Any) -> bool:
    """Whether a value can be a texture; what it leaves out has its default."""
    return isinstance(value, Mapping) and isinstance(value.get("image"), str) and set(value) <= {f.name for f in fields(Texture)} and _sound(value)


def _sound(texture: Mapping[str, Any]) -> bool:
    pairs = [texture.get(k, (0, 0)) for k in ("offset", "scale")]
    if not all(isinstance(pair, list | tuple) and len(pair) == 2 for pair in (*pairs, texture.get("wrap", ("repeat", "repeat")))):
        return False
    numbers = [texture.get("rotation_rad", 0.0), texture.get("strength", 1.0), texture.get("curve_top", 1.0), *(v for pair in pairs for v in pair)]
    return (
        all(isinstance(v, int | float) and not isinstance(v, bool) and abs(v) < 1e9 for v in numbers) and all(w in _WRAPS for w in texture.get("wrap", ())) and texture.get("channels", "rgb") in ("rgb", "r", "g", "b", "a")
        and texture.get("encoding", "linear") in ("srgb", "linear") and texture.get("curve", "linear") in ("linear", "squared", "exponent", "scaled") and texture.get("space", "") in ("", *SPACES) and texture.get("uv_set", 0) in range(8)
    )


def texture_of(value: Mapping[str, Any], scene: Scene, target: str) -> Texture:
    """A texture out of its value.

    Raises:
        Refused: its image is not in the scene.
    """
    if value["image"] not in scene.images:
        raise Refused("There is no such image.", target, "Choose one of the images of the move.")
    said: dict[str, Any] = {k: tuple(v) if k in _PAIRS else v for k, v in value.items()}
    return Texture(**said)
